# Every task of the project; pre-commit and CI call the same targets.
SHELL := /bin/bash
PY := .venv/bin/python
export PATH := $(CURDIR)/.venv/bin:$(PATH)
# Compiled modules are kept: every process that starts would compile the whole of its libraries anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: help setup fuzz package demo company dev test check lint types contracts web-check web-test format reference bench worker reset-demo openapi lock

help:  ## list the targets
	@grep -hE '^[a-z-]+:.*## ' Makefile | sed -E 's/:.*## /\t/' | expand -t 14

setup:  ## install everything needed, start nothing
	@tools/setup.sh full

demo:  ## install what is missing and start the product with demo data
	@tools/setup.sh demo
	@exec $(PY) -m quarry.project.demo

company:  ## add a company of your own to the running demo: make company NAME="North Crew" LEAD=lena
	@$(PY) -m quarry.project.company "$(NAME)" "$(LEAD)"

test: setup  ## install and check everything, then run all tests
	@$(MAKE) --no-print-directory -j2 --output-sync=target check web-test
	@$(PY) -m pytest -n $$(( $$(nproc) + 1 )) --dist loadscope --no-loadscope-reorder

check: .venv/installed lint types contracts web-check  ## lint, types, contracts

lint:  ## ruff: rules and format
	@ruff check quarry tests bench tools && ruff format --check quarry tests bench tools

types:  ## mypy, strict, the whole product
	@mypy quarry

contracts:  ## import contracts
	@lint-imports --no-cache | tail -n +14

web-check:  ## eslint, prettier, svelte-check, and the typed client against the API
	@cd web && npm run -s lint && npm run -s types:check && npm run -s check

web-test:  ## unit tests of the front end
	@cd web && npm run -s test

format:  ## bring all code into form
	@ruff check --fix -q quarry tests bench tools; ruff format -q quarry tests bench tools; cd web && npm run -s format

reference: .venv/installed  ## run published values against the core; FILE=path takes another file
	@$(PY) -m tests.reference $(if $(FILE),"$(FILE)")

package: .venv/installed  ## build one wheel with the screens inside, in dist/
	@tools/package.sh

fuzz: .venv/installed  ## send made-up and hostile calls to a throwaway house; CALLS=10000
	@$(PY) -m bench.fuzz $(or $(CALLS),10000)

bench: .venv/installed  ## measure speed side by side; INSTANCES=folder runs all instances in it
	@$(PY) -m bench $(if $(INSTANCES),"$(INSTANCES)")

dev: demo  ## as demo; run `npm run dev` in web/ beside it for reloading pages

worker:  ## one more background worker, on QUARRY_DATABASE_URL
	@$(PY) manage.py procrastinate worker -q plans,tables

reset-demo:  ## put the demo's data away and begin anew at the next start
	@tools/reset-demo.sh

openapi:  ## write docs/openapi.json and the typed client anew
	@$(PY) manage.py export_openapi_schema --api quarry.api.api.api --indent 1 --sorted --output docs/openapi.json
	@cd web && npm run -s types

lock:  ## resolve the Python lock files anew
	@cd requirements && uv pip compile test.in --universal --python-version 3.11 --generate-hashes --no-emit-index-url --no-header -q -o test.txt && uv pip compile app.in -c test.txt --universal --python-version 3.11 --generate-hashes --no-emit-index-url --no-header -q -o app.txt

.venv/installed:
	@tools/setup.sh full
