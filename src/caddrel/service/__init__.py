"""The Flask service: the API under `/api/v1`, and the console.

Not here: what is computed (`core`), and what is kept (`store`).
"""
