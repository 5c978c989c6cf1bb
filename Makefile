# Two commands matter: `make demo` starts the application with the demo shop, `make test` runs everything.
PY      := .venv/bin/python
PORT    ?= 8000
CSS     := src/cool_sheen/web/static/app.css
CSS_STYLE := -s 2 -n
PAGES   := src/cool_sheen/web/templates
export COOL_SHEEN_DATA ?= data
export UV_PYTHON_DOWNLOADS := never
export PYTHONPATH := src

.PHONY: help demo run backup restore test check unit bench bench-scale told mutants fuzz soak format install install-dev browser shots clean
help:  ## what there is
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/'

.venv/boot.stamp: requirements-boot.lock
	test -x $(PY) || python3 -m venv .venv
	$(PY) -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements-boot.lock || echo "uv is not to be had: pip will do"
	@touch $@
.venv/run.stamp: requirements.lock .venv/boot.stamp
	scripts/install requirements.lock
	@touch $@
.venv/dev.stamp: requirements-dev.lock .venv/boot.stamp
	scripts/install requirements-dev.lock
	@touch $@ .venv/run.stamp

.venv/compiled.stamp: .venv/run.stamp $(shell find src -name '*.py' -o -name '*.html')
	@$(PY) -m compileall -q src
	@$(PY) -c "from cool_sheen.web.templating import compile_templates; compile_templates()"
	@touch $@

install: .venv/run.stamp  ## what the application needs
install-dev: .venv/dev.stamp  ## what the checks need, too
browser:  ## make sure of Chromium (Debian's package)
	@scripts/ensure-chromium

demo: .venv/compiled.stamp  ## start with the demo shop: make demo PORT=8123
	$(PY) -m cool_sheen serve --demo --port $(PORT)
run: .venv/compiled.stamp  ## start with an empty shop
	$(PY) -m cool_sheen serve --port $(PORT)

backup: .venv/run.stamp  ## one whole copy of the shop, while it runs or not: make backup FILE=shop.sqlite3
	$(PY) -m cool_sheen backup $(FILE)
restore: .venv/run.stamp  ## a copy in the place of the shop: make restore FILE=shop.sqlite3
	$(PY) -m cool_sheen restore $(FILE)

check: install-dev  ## style, types, layers
	.venv/bin/ruff format --check .
	.venv/bin/ruff check .
	.venv/bin/css-beautify $(CSS_STYLE) $(CSS) | diff -q - $(CSS)
	.venv/bin/djhtml --check -t 2 $(PAGES)
	.venv/bin/mypy
	.venv/bin/lint-imports
unit: install-dev  ## the core's tests alone
	.venv/bin/pytest -q tests/unit
test: check browser  ## all checks and tests
	.venv/bin/pytest -q -n 2 tests/unit tests/app tests/browser
	.venv/bin/pytest -q --benchmark-enable --benchmark-columns=min,median,max,rounds --benchmark-disable-gc tests/bench
bench: install-dev  ## the benches alone
	.venv/bin/pytest -q --benchmark-enable tests/bench
bench-scale: install-dev .venv/compiled.stamp  ## a shop with years of work, and what its pages cost
	PYTHONPATH=src:. $(PY) -m tests.scale
bench-taps: install-dev .venv/compiled.stamp  ## the same shop, twenty devices for ten minutes: how long a press takes
	PYTHONPATH=src:. $(PY) -m tests.scale.taps
told: install-dev  ## tell the pages of tests/told anew, to be read through before they are kept
	PYTHONPATH=src:. $(PY) -m tests.told
fuzz: install-dev  ## press 20,000 spoiled forms, bring 5,000 spoiled files, call the calculators 10,000 times
	PYTHONPATH=src:. $(PY) -W ignore -m tests.fuzz
soak: install-dev .venv/compiled.stamp  ## an hour of twenty devices with kills and a full disk; upgrades from every schema, killed; two hundred kills while devices press
	PYTHONPATH=src:. $(PY) -m tests.soak
	PYTHONPATH=src:. $(PY) -m tests.soak.upgrades 50
	PYTHONPATH=src:. $(PY) -m tests.soak.kills 200
mutants: install-dev  ## change the core by a little, two hundred times, and say how many changes the tests notice
	PYTHONPATH=src:. $(PY) scripts/mutants.py
format: install-dev  ## put the code in shape
	.venv/bin/ruff format .
	.venv/bin/ruff check --fix .
	.venv/bin/css-beautify $(CSS_STYLE) -r $(CSS)
	.venv/bin/djhtml -t 2 $(PAGES)
shots: install-dev browser  ## renew docs/screenshots from the demo shop
	$(PY) scripts/shots.py
clean:
	rm -rf .venv .pytest_cache .mypy_cache .ruff_cache .hypothesis
