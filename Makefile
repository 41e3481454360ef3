# The two commands: make demo, make test. Both set up what they need in .venv and build; the second time is quick.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
NATIVE := $(wildcard native/include/vestigo/*.hpp native/include/vestigo/*/*.hpp native/bind/*)
TESTS  := $(patsubst native/tests/%.cpp,build/%,$(shell ls -S native/tests/test_*.cpp))  # the largest first
INSTALL := VIRTUAL_ENV=$(VENV) $(BIN)/uv pip install --quiet
WERROR := cmake.define.VESTIGO_WERROR=ON
EXPLORED := tests/agreement tests/engine/test_equivalences.py tests/engine/test_size_curve.py \
  $(addprefix tests/choosing/test_,compare.py headlines.py sampling.py) tests/explaining/test_drive.py
HOSTILE := tests/trials tests/trace/test_damaged_files.py tests/rules/test_hostile_plans.py tests/explaining/test_hostile_counters.py tests/web/test_receiver.py
FORMATTED := $(wildcard native/include/vestigo/*.hpp native/include/vestigo/*/*.hpp native/bind/*.[ch]pp native/tests/*.[ch]pp)
TIDIED := $(wildcard native/tests/test_*.cpp) native/bind/replay.cpp
BOUND = $(shell $(BIN)/python -c "import nanobind, sysconfig; print('-isystem', nanobind.include_dir(), '-isystem', sysconfig.get_paths()['include'])")
STRICT := -std=c++20 -Wall -Wextra -Wpedantic -Wshadow -Werror

# Tests start Python some hundred times, so compiled modules are kept, whatever the machine's environment says.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: demo setup test explore trials lint native-test package docs reference notebook bench screenshots wheels clean $(addprefix run/,$(TESTS))

demo: $(VENV)/installed
	$(BIN)/vestigo demo

# All that the tests need: make -j3 setup fetches side by side.
setup: $(VENV)/installed examples/beside_a_service/node_modules tests/browser/node_modules

# Files are taken in the order of folders, so that short ones come last.
test: setup
	@command -v chromium > /dev/null || echo "There is no chromium (Debian's package): the tests of pages are skipped"
	$(BIN)/python -m pytest -n 4 --dist loadfile --no-loadscope-reorder

# Wide random exploration: CASES=20000 SEED=7 make explore. First both engines, the ceilings and the error bars, then what strangers do.
explore: $(VENV)/installed
	@seed=$${SEED:-$$(date +%s)}; echo "seed $$seed"; \
	VESTIGO_CASES=$${CASES:-5000} VESTIGO_SEED=$$seed $(BIN)/python -m pytest -n 2 --hypothesis-seed=$$seed $(EXPLORED) $(HOSTILE)

# What strangers do, alone: CASES=20000 SEED=7 make trials.
trials: $(VENV)/installed
	@seed=$${SEED:-$$(date +%s)}; echo "seed $$seed"; \
	VESTIGO_CASES=$${CASES:-5000} VESTIGO_SEED=$$seed $(BIN)/python -m pytest -n 2 --hypothesis-seed=$$seed $(HOSTILE)

# Every check that is not a test: style, types, layers. Warnings of the kernel are errors when it is built.
lint: $(VENV)/installed
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/clang-format --dry-run -Werror $(FORMATTED)
	printf '%s\n' $(TIDIED) | xargs -P 2 -I {} $(BIN)/clang-tidy --quiet {} -- -std=c++20 -Inative/include -Inative/bind $(BOUND)

native-test: $(addprefix run/,$(TESTS))

$(addprefix run/,$(TESTS)): run/%: %
	./$<

build/test_%: native/tests/test_%.cpp $(wildcard native/tests/*.hpp) $(NATIVE)
	mkdir -p build
	g++ $(STRICT) -Og -g1 -fsanitize=address,undefined -fno-sanitize-recover=all -Inative/include -o $@ $<

bench: $(VENV)/installed
	$(BIN)/python benchmarks/speed.py
	$(BIN)/python benchmarks/policies.py
	$(BIN)/python benchmarks/rules.py
	$(BIN)/python benchmarks/choosing.py
	$(BIN)/python benchmarks/finding.py
	$(BIN)/python benchmarks/parts.py
	$(BIN)/python benchmarks/large.py
	$(BIN)/python benchmarks/reading.py
	$(BIN)/python benchmarks/memory.py
	$(BIN)/python benchmarks/recorder_cost.py
	$(BIN)/python benchmarks/asking.py
	$(BIN)/python benchmarks/beside_a_service.py
	$(BIN)/python benchmarks/hostile_senders.py
	$(BIN)/python benchmarks/pages.py

# The pages of docs/ and a reference of all public names, as HTML.
docs: $(VENV)/installed
	$(INSTALL) 'sphinx>=8' 'myst-parser>=4' 'furo>=2025.7'
	$(BIN)/sphinx-build -q -W -j auto docs build/docs
	@echo "build/docs/index.html"

# docs/reference.md, from the tables of the code.
reference: $(VENV)/installed
	$(BIN)/python scripts/reference.py

notebook: $(VENV)/installed
	$(BIN)/python scripts/notebook.py

screenshots: $(VENV)/installed
	$(BIN)/python scripts/screenshots.py

$(VENV)/installed: pyproject.toml CMakeLists.txt $(NATIVE)
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check uv
	$(INSTALL) 'scikit-build-core>=0.11' 'nanobind>=2.9' cmake ninja
	$(INSTALL) --compile-bytecode --no-build-isolation --config-setting $(WERROR) --editable '.[dev,confirm,drive,explore,listen]'
	touch $@

# A wheel and an sdist; the wheel goes the whole way in an empty environment, without a compiler.
package: $(VENV)/installed
	rm -rf dist build/empty build/elsewhere && mkdir -p build/elsewhere
	MAKEFLAGS= $(BIN)/python -m build --no-isolation --config-setting=$(WERROR) --sdist --wheel --outdir dist . > build/package.log
	$(BIN)/python scripts/check_package.py dist
	$(BIN)/uv venv --quiet --clear --python $(PYTHON) build/empty
	VIRTUAL_ENV=build/empty $(BIN)/uv pip install --quiet --only-binary :all: dist/*.whl
	cd build/elsewhere && env -i HOME=$$PWD PATH=$$PWD/../empty/bin LANG=C.UTF-8 vestigo demo | tail -n 5

# The wheels of a release, each tried in an empty environment.
wheels: $(VENV)/installed
	$(BIN)/python scripts/wheels.py

# What the tests with Node.js, and the audit of pages, need. Where there is none, they are skipped, and pytest says so.
# npm waits five minutes for an answer that does not come, unless it is told to ask again earlier.
%/node_modules: %/package.json
	cd $* && npm install --silent --no-package-lock --no-fund --no-audit --fetch-timeout=20000 && touch node_modules \
	  || echo "Node.js or its packages are missing: the tests that need them are skipped"

clean:
	rm -rf build dist $(VENV) vestigo-demo
