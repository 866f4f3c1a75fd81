"""Request and response types, shared by service and client; nothing else."""
