.DEFAULT_GOAL := help
PYTHON := .venv/bin/python

help: ## list what there is
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:[^#]*## /\t/' | expand -t 14
dev: ## run with auto-reload on the demo's data
	RULKA_DEMO=1 RULKA_DEBUG=1 RULKA_VAR=var/demo $(PYTHON) manage.py runserver
demo: ## set up, load the demo, start
	bin/demo
test: ## all tests
	bin/test
test-fast: ## tests without the browser
	$(PYTHON) -m pytest -m "not browser"
check: ## lint, types, import contracts
	.venv/bin/ruff check . && .venv/bin/ruff format --check . && .venv/bin/djlint --quiet --check rulka
	.venv/bin/mypy && .venv/bin/lint-imports && npm run --silent scripts
format: ## format code, templates and scripts
	.venv/bin/ruff format . && npm run --silent format; .venv/bin/djlint --quiet --reformat rulka
css: ## build the styles, copy the vendored scripts
	npm install --no-save --no-audit --no-fund && npm run vendor && npm run css
screenshots: ## take the pictures of docs/screenshots again
	$(PYTHON) -m docs.screenshots
mutants: ## change proof, fence and seal in one place each: what no test notices is told (about an hour)
	$(PYTHON) -m tests.mutants
bench: ## all that people wait for, as one table with ratios
	$(PYTHON) -m bench.table
.PHONY: help dev demo test test-fast check css screenshots mutants bench
