"""The packages of one of the project's extras, for pip: ``python setup/packages.py test``."""

import sys
import tomllib
from pathlib import Path

project = tomllib.loads(Path("pyproject.toml").read_text())["project"]
print(*(package.replace(" ", "") for package in project["optional-dependencies"][sys.argv[1]]))
