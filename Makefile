# One target a chore; CI runs the same ones. `make demo` and `make test` set everything up first.
BIN := .venv/bin
CONSOLE := src/loricate/_console/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f 2>/dev/null) \
  console/index.html console/vite.config.ts console/compress.ts console/package-lock.json
DEBIAN := chromium-headless-shell fonts-dejavu-core mosquitto poppler-utils
SUDO := $(shell [ "$$(id -u)" = 0 ] || echo sudo)

# Processes start often here: none compiles what another has compiled already.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo example test check figures drill console format openapi pictures wheel clean

demo: .venv/ready $(CONSOLE)
	$(BIN)/loricate demo

example: .venv/ready
	$(BIN)/loricate example

test: .venv/ready $(CONSOLE) .venv/debian
	$(BIN)/pytest -n 3
	cd console && npm test --silent

check: .venv/ready console/src/api/schema.d.ts
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	cd console && npm run --silent check

figures: .venv/ready
	$(BIN)/python -m figures

# Kills of the service, loads through lying wires, every ending with a charged unit, unfit sequences,
# a run while everybody attacks, every cell of the records changed, messages through a bad system.
KILLS ?= 30
LOADS ?= 500
ATTACKED_S ?= 60
SHIFT ?= 150
ROWS ?= 10
SENT ?= 10000
drill: .venv/ready
	$(BIN)/python -m drill gate
	$(BIN)/python -m drill charge
	$(BIN)/python -m drill cells $(ROWS)
	$(BIN)/python -m drill sends $(SENT)
	$(BIN)/python -m drill attack $(ATTACKED_S)
	$(BIN)/python -m drill line $(SHIFT)
	OPENBLAS_NUM_THREADS=1 $(BIN)/python -m drill wires $(LOADS)
	$(BIN)/python -m drill kills $(KILLS)

console: $(CONSOLE)

format: .venv/ready console/node_modules/ready
	$(BIN)/ruff format .
	$(BIN)/ruff check --fix .
	cd console && npm run --silent format

# The published API and schemas; the console's types follow from them.
openapi: .venv/ready
	$(BIN)/python -m loricate.commands.published docs

pictures: .venv/ready $(CONSOLE) .venv/debian
	$(BIN)/python docs/screenshots/take.py

wheel: .venv/ready $(CONSOLE)
	$(BIN)/python -m build --wheel --no-isolation --outdir dist

.venv/ready: requirements-dev.lock pyproject.toml
	python3 -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements-dev.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $@

.venv/debian: .venv/ready
	for name in $(DEBIAN); do dpkg -s $$name >/dev/null 2>&1 || missing=1; done; \
	  [ -z "$$missing" ] || { $(SUDO) apt-get update -qq && \
	  $(SUDO) apt-get install -y -qq --no-install-recommends $(DEBIAN) >/dev/null; }
	touch $@

console/node_modules/ready: console/package-lock.json
	cd console && npm ci --ignore-scripts --silent
	touch $@

console/src/api/schema.d.ts: docs/openapi.json console/node_modules/ready
	cd console && npm run --silent api

$(CONSOLE): console/src/api/schema.d.ts $(CONSOLE_SOURCES)
	cd console && npx --no-install vite build --logLevel warn
	touch $@

clean:
	rm -rf .venv console/node_modules src/loricate/_console out dist
