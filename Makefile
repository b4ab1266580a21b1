# Two commands do everything on a fresh machine with Python 3.11+, Node 20+ and Debian:
#   make demo   build what is missing and serve the demo production on the loopback interface
#   make test   install what the tests need, and run every check and test

VENV := .venv
PYTHON := $(VENV)/bin/python
STAMPS := build
CORE := $(shell find caligo demo studio -name '*.py')
FRONT := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/package.json

# Byte code is kept whatever the shell says: dozens of processes start here, and each would compile
# every module anew, which takes longer than all else that it does at its start.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: demo test beside-heard installed trials test-web test-core test-studio test-screen test-heard check check-python check-web
.PHONY: bench bench-screen coverage types shots clean

# What the first sound needs is compiled as soon as the core's packages are there, beside all else;
# the rest while the page serves.
demo:
	@$(MAKE) -j3 -O --no-print-directory studio/static/build/index.html $(STAMPS)/first $(STAMPS)/python
	@$(PYTHON) -m studio.serve --demo $(if $(PORT),--port $(PORT))

# Set-up that does not wait for other set-up goes side by side: compiling the engine takes longest,
# and begins as soon as the packages that it needs are there. What hears sound in real time waits
# more than it works, and leaves a core to the studio's tests and to linters; the core's tests
# would take it from both.
test:
	@$(MAKE) -j3 -O --no-print-directory $(STAMPS)/warm installed check-web
	@$(MAKE) --no-print-directory test-core test-screen
	@$(MAKE) -j2 -O --no-print-directory test-heard beside-heard

beside-heard:
	@$(MAKE) --no-print-directory test-studio check-python test-web

installed: $(STAMPS)/python-test $(STAMPS)/browser studio/static/build/index.html

# What takes too long for every change, and is run before an issue is resolved: see docs/trials.md.
trials: $(STAMPS)/warm installed
	$(PYTHON) -m pytest -n 2 --dist worksteal -m wide tests/core
	$(PYTHON) -m tests.robust.kills 100 30 20
	$(PYTHON) -m tests.robust.nonsense 2000
	$(PYTHON) -m tests.robust.stages 200
	$(PYTHON) -m tests.robust.files 2000
	$(PYTHON) -m tests.robust.documents 200 6
	$(PYTHON) -m tests.robust.encoders
	$(PYTHON) -m tests.robust.long_recording 20
	$(PYTHON) -m tests.robust.listening 600

test-web: $(STAMPS)/node
	cd web && npm run --silent test

test-core: $(STAMPS)/warm
	$(PYTHON) -m pytest -n 2 --dist worksteal -m "not wide" caligo tests/core

test-studio: $(STAMPS)/warm
	$(PYTHON) -m pytest tests/studio

# What no test runs. Watching each line makes the tests a third slower, so `make test` does without.
coverage: $(STAMPS)/warm
	$(PYTHON) -m pytest -n 2 -m "not wide" --cov --cov-report= caligo tests/core
	$(PYTHON) -m pytest --cov --cov-append --cov-report=term:skip-covered tests/studio

test-screen: studio/static/build/index.html $(STAMPS)/warm $(STAMPS)/browser
	$(PYTHON) -m pytest -n 2 -m "not hears" tests/browser

test-heard: studio/static/build/index.html $(STAMPS)/warm $(STAMPS)/browser
	$(PYTHON) -m pytest -m hears tests/browser

check: check-python check-web

check-python: $(STAMPS)/python-test
	$(VENV)/bin/ruff check .
	$(VENV)/bin/ruff format --check .
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports
	$(PYTHON) manage.py makemigrations --check --dry-run
	$(PYTHON) -m demo.write --check

check-web: $(STAMPS)/node build/openapi.json
	cd web && npm run --silent check
	cd web && npx openapi-typescript ../build/openapi.json -o ../build/schema.ts > /dev/null
	@cmp web/src/api/schema.ts build/schema.ts || { echo "web/src/api/schema.ts is behind the API: run make types"; exit 1; }

bench: $(STAMPS)/warm
	$(PYTHON) -m demo.bench

bench-screen: studio/static/build/index.html $(STAMPS)/warm $(STAMPS)/browser
	$(PYTHON) -m tests.browser.dragging

types: $(STAMPS)/node build/openapi.json
	cd web && npm run --silent types

shots: studio/static/build/index.html $(STAMPS)/warm $(STAMPS)/browser
	$(PYTHON) -m tests.browser.screenshots

clean:
	rm -rf $(VENV) build studio/static/build web/node_modules var

$(PYTHON):
	sh setup/python.sh $(VENV)

# The constraints pin every package that has been tested together.
# Byte code is made as modules are first used: most of what comes along never is.
PIP := $(PYTHON) -m pip install --quiet --no-compile --disable-pip-version-check -c constraints.txt

$(STAMPS)/core: pyproject.toml constraints.txt | $(PYTHON)
	$(PIP) -e .
	@mkdir -p $(STAMPS) && touch $@

# Caligo itself stays as it is, since it may be at work meanwhile.
$(STAMPS)/python: $(STAMPS)/core
	$(PIP) $$($(PYTHON) setup/packages.py studio)
	@touch $@

$(STAMPS)/python-test: $(STAMPS)/python
	$(PIP) $$($(PYTHON) setup/packages.py test)
	@touch $@

$(STAMPS)/node: web/package.json web/package-lock.json
	cd web && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
	@mkdir -p $(STAMPS) && touch $@

build/openapi.json: $(STAMPS)/python $(CORE)
	@$(PYTHON) manage.py export_openapi_schema --api studio.api.api --output $@

studio/static/build/index.html: $(STAMPS)/node $(FRONT)
	cd web && npm run --silent build

# Kernels are kept for the user, not for the checkout: what has not changed is not compiled again.
$(STAMPS)/first: $(STAMPS)/core $(CORE)
	@$(VENV)/bin/caligo warm --first
	@touch $@

$(STAMPS)/warm: $(STAMPS)/core $(CORE)
	@echo "Compiling the sound engine..."
	@$(VENV)/bin/caligo warm
	@touch $@ $(STAMPS)/first

$(STAMPS)/browser: setup/chromium.sh | $(PYTHON)
	sh setup/chromium.sh
	@mkdir -p $(STAMPS) && touch $@
