#!/bin/sh
# Make a virtual environment; on Debian the module for it may first have to be installed.
set -eu
target=$1
python=${PYTHON3:-python3}
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || {
  echo "Caligo needs Python 3.11 or later." >&2
  exit 1
}
if ! "$python" -c 'import ensurepip' 2>/dev/null; then
  echo "Installing python3-venv..."
  apt-get update -q && apt-get install -y -q python3-venv
fi
"$python" -m venv "$target"
