"""Finding the service: environment first, then a profile file."""

from __future__ import annotations

import json
import os
from pathlib import Path

import click
import platformdirs

from caddrel.client import Caddrel

DEFAULT_URL = "http://127.0.0.1:8420"


def profile_path() -> Path:
    """Return where the profile file is: CADDREL_PROFILE, else the user's configuration folder."""
    named = os.environ.get("CADDREL_PROFILE")
    return Path(named) if named else Path(platformdirs.user_config_dir("caddrel")) / "profile.json"


def connect() -> Caddrel:
    """Return a client of the service that environment and profile name."""
    url, token = os.environ.get("CADDREL_URL", ""), os.environ.get("CADDREL_TOKEN", "")
    path = profile_path()
    if (not url or not token) and path.is_file():
        try:
            profile = json.loads(path.read_text(encoding="utf-8"))
            found_url, found_token = str(profile["url"]), str(profile.get("token", ""))
        except (ValueError, KeyError, TypeError, AttributeError):
            raise click.UsageError(f'{path}: expected {{"url": …, "token": …}}') from None
        # A token belongs to its service: one from the profile is not sent anywhere else.
        if not url or url == found_url:
            url, token = url or found_url, token or found_token
    return Caddrel(url or DEFAULT_URL, token)
