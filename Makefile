# make setup | demo | test | quick | lint | fix | types | bench | bench-truth | samples
SHELL := /bin/bash
PYTHON ?= python3
PORT ?= 8420
VENV := .venv
BIN := $(VENV)/bin
STAMPS := $(VENV)/stamps
FRONT := $(shell find frontend/src frontend/public -type f 2>/dev/null) frontend/index.html frontend/vite.config.ts

.PHONY: setup demo test quick lint fix types bench bench-truth samples

setup: $(STAMPS)/tools $(STAMPS)/python $(STAMPS)/node $(STAMPS)/built

demo: setup
	exec $(BIN)/lithopos demo --port $(PORT)

test: setup
	$(BIN)/python -m tests

# For working: what is quick, without browsers, servers and long renders.
quick: setup
	$(BIN)/python -m tests quick

lint: setup
	$(BIN)/ruff check src tests bench proving tools
	$(BIN)/ruff format --check src tests bench proving tools
	$(BIN)/mypy
	cd frontend && npm run --silent check

fix: setup
	$(BIN)/ruff check --fix src tests bench proving tools
	$(BIN)/ruff format src tests bench proving tools
	cd frontend && npm run --silent fix

types: setup
	$(BIN)/python -m lithopos.web.openapi > $(VENV)/openapi.json && mv $(VENV)/openapi.json src/lithopos/web/openapi.json
	cd frontend && npm run --silent types
	$(BIN)/python tools/fixtures.py

bench: setup
	$(BIN)/python -m bench

bench-truth: setup
	$(BIN)/python -m bench truth balls lamps contact

samples: setup
	$(BIN)/python -m lithopos.samples.make

$(STAMPS)/tools: tools/system-packages.sh
	@mkdir -p $(STAMPS)
	bash tools/system-packages.sh
	@touch $@

$(STAMPS)/python: requirements/dev.txt pyproject.toml
	@mkdir -p $(STAMPS)
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/dev.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	$(BIN)/python -c "import pymatting"  # compiled once, for a minute: not when a picture waits for it
	@touch $@

$(STAMPS)/node: frontend/package-lock.json
	@mkdir -p $(STAMPS)
	cd frontend && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STAMPS)/built: $(STAMPS)/node $(FRONT)
	cd frontend && npm run --silent build
	@touch $@
