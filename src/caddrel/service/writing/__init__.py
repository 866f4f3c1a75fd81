"""What an editor of rulebooks asks while somebody writes. One file a question."""
