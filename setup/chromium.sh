#!/bin/sh
# The browser tests drive Debian's Chromium without a window; install it where it is missing.
set -eu
if command -v chromium-headless-shell >/dev/null 2>&1 || command -v chromium >/dev/null 2>&1; then
  exit 0
fi
echo "Installing Chromium..."
export DEBIAN_FRONTEND=noninteractive
root=
[ "$(id -u)" = 0 ] || root=sudo
install="$root apt-get install -y -q --no-install-recommends"
$root apt-get update -q
# The shell is Chromium without what a window needs; not every release has it.
$install chromium-headless-shell || $install chromium
