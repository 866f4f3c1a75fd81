#!/usr/bin/env bash
# Installs Debian's Chromium without a window, and fonts, for the browser tests, when they are missing and this user may.
# The one with a window serves as well, but spends more of a processor on itself than on the page.
set -u
if command -v chromium-headless-shell >/dev/null 2>&1; then exit 0; fi
sudo=""
if [ "$(id -u)" != 0 ]; then
  if sudo -n true 2>/dev/null; then sudo="sudo -n"; else
    echo "chromium is not installed and this user may not install it: browser tests will be skipped" >&2
    exit 0
  fi
fi
if ! command -v apt-get >/dev/null 2>&1; then
  echo "chromium is not installed and there is no apt-get: browser tests will be skipped" >&2
  exit 0
fi
export DEBIAN_FRONTEND=noninteractive
$sudo apt-get update -qq && $sudo apt-get install -y -qq --no-install-recommends chromium-headless-shell fonts-liberation fonts-dejavu-core >/dev/null
