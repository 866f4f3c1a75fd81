"""Signals: what is noticed by comparing an attempt with the same person's earlier ones. One file a kind.

Not here: reading earlier attempts (`service.signins.signal_history`).
"""
