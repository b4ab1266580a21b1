"""``python -m caligo`` is the ``caligo`` command."""

import sys

from caligo.command import main

sys.exit(main())
