"""Caddrel: sign-in access policies that are written, rehearsed and traced."""

__version__ = "0.1.0"
