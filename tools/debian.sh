#!/usr/bin/env bash
# Installs Debian packages for a program that is missing, when this user may: tools/debian.sh PROGRAM WITHOUT PACKAGE…
# WITHOUT says what is not done where it cannot be installed; that is no failure.
set -u
program=$1 without=$2
shift 2
if command -v "$program" >/dev/null 2>&1; then exit 0; fi
sudo=""
if [ "$(id -u)" != 0 ]; then
  if sudo -n true 2>/dev/null; then sudo="sudo -n"; else
    echo "$program is not installed and this user may not install it: $without" >&2
    exit 0
  fi
fi
if ! command -v apt-get >/dev/null 2>&1; then
  echo "$program is not installed and there is no apt-get: $without" >&2
  exit 0
fi
export DEBIAN_FRONTEND=noninteractive
$sudo apt-get update -qq && $sudo apt-get install -y -qq --no-install-recommends "$@" >/dev/null
