#!/bin/sh
# The browser tests drive Debian's Chromium; install it where it is missing.
set -eu
if command -v chromium >/dev/null 2>&1; then
  exit 0
fi
echo "Installing Chromium..."
export DEBIAN_FRONTEND=noninteractive
if [ "$(id -u)" = 0 ]; then
  apt-get update -q && apt-get install -y -q --no-install-recommends chromium
else
  sudo apt-get update -q && sudo apt-get install -y -q --no-install-recommends chromium
fi
