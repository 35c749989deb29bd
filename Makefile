# The front door. Each target installs what is missing, builds and runs; see README.md.

BUILD ?= build
PREFIX ?= /usr/local
WERROR ?= OFF
JOBS ?= $(shell nproc)
SECONDS_EACH ?= 20
MAKEFLAGS += --no-print-directory
# A build folder keeps its generator. A new one gets the quicker one.
NINJA = $(if $(wildcard $(1)/CMakeCache.txt),,$(if $(shell command -v ninja),-G Ninja))
# The demo's first build is a quick one, which any other build replaces.
QUICK ?= OFF

.PHONY: all adapter demo demo-emulated fuzz campaign faults large lot soak package man test test-sanitized perf perf-cards screenshots install uninstall format check clean deps configure

all: configure
	@cmake --build $(BUILD) -j $(JOBS)

deps:
	@scripts/install-deps

configure:
	@cmake -S . -B $(BUILD) $(call NINJA,$(BUILD)) -DCMAKE_INSTALL_PREFIX=$(PREFIX) -DWRY_WERROR=$(WERROR) \
	    -DWRY_QUICK=$(QUICK) > $(BUILD).log 2>&1 \
	    || { cat $(BUILD).log; exit 1; }
	@mv $(BUILD).log $(BUILD)/configure.log

# The front door installs what is missing; 'make all' does not.
demo:
	@scripts/install-deps --command
	@[ -e $(BUILD)/bin/wrytograph ] || $(MAKE) configure QUICK=ON
	@echo "Building the command; the first time this takes half a minute."
	@cmake --build $(BUILD) -j $(JOBS) --target wrytograph gauge_images > $(BUILD)/demo-build.log 2>&1 \
	    || { cat $(BUILD)/demo-build.log; exit 1; }
	@demo/tour $(BUILD)

# The loader on a board that others made, in an emulator.
demo-emulated: all
	@scripts/install-deps --emulator
	@demo/emulated $(BUILD)

# Some tests wait for a line or a lock: two more than there are processors. With WRY_EVERY_CASE set,
# all cases of the large tables are tried.
test: deps
	@$(MAKE) all
	@ctest --test-dir $(BUILD) --output-on-failure -j $$(( $(JOBS) + 2 ))

# The same tests under AddressSanitizer and UndefinedBehaviorSanitizer; without those that have the
# label LEAVE_OUT.
LEAVE_OUT ?=
test-sanitized: deps
	@cmake -S . -B $(BUILD)-sanitized $(call NINJA,$(BUILD)-sanitized) -DWRY_SANITIZE=ON -DWRY_WERROR=$(WERROR) > /dev/null
	@cmake --build $(BUILD)-sanitized -j $(JOBS)
	@ctest --test-dir $(BUILD)-sanitized --output-on-failure -j $$(( $(JOBS) + 2 )) $(if $(LEAVE_OUT),-LE $(LEAVE_OUT))

perf: all
	@$(BUILD)/bin/perf_write
	@echo
	@$(BUILD)/bin/perf_upgrade
	@echo
	@$(BUILD)/bin/perf_ways
	@echo
	@scripts/install-deps --compare
	@perf/upgrade_bytes $(BUILD)
	@echo
	@$(BUILD)/bin/perf_backup
	@echo
	@$(BUILD)/bin/perf_jobs
	@echo
	@$(BUILD)/bin/perf_noise
	@echo
	@$(BUILD)/bin/perf_sweep
	@echo
	@$(BUILD)/bin/perf_identify
	@echo
	@perf/real_time $(BUILD)
	@echo
	@perf/clean_line $(BUILD)
	@echo
	@perf/noisy_line $(BUILD) 1
	@echo
	@perf/transfer $(BUILD)
	@echo
	@perf/start $(BUILD)

# The command on the kernel's own driver of a USB serial adapter, in an emulated machine: two minutes.
adapter: all
	@scripts/install-deps --adapter
	@trials/adapter/run $(BUILD)

# The demo from its clone, many boards at once, killed cards, and the ledger under load: some minutes,
# on an idle machine.
perf-cards: all
	@perf/first_use
	@echo
	@perf/many_boards $(BUILD)
	@echo
	@perf/many_boards $(BUILD) 24
	@echo
	@perf/card_kills $(BUILD)
	@echo
	@perf/ledger $(BUILD)

# Each fuzz target for a while.
fuzz: deps
	@scripts/install-deps --tools
	@fuzz/run $(SECONDS_EACH)

# A hundred thousand schedules of faults: about half an hour on two processors.
CAMPAIGN ?= 100000
campaign: all
	@echo "$(CAMPAIGN) schedules, about $$(( $(CAMPAIGN) * 29 / 1000 / $(JOBS) / 60 + 1 )) minutes on $(JOBS) processors"
	@$(BUILD)/bin/campaign $(CAMPAIGN)

# Each call of the system made to fail, and each of a first use made the last: some forty minutes on
# two processors.
faults: all
	@trials/faults $(BUILD)
	@trials/first_use $(BUILD)

# 128 MiB of flash through every call: some forty minutes on two processors.
large: all
	@$(BUILD)/bin/large

# Four benches, a server that stops, and one lot; and fifty boards by keyboard: some minutes.
lot: all
	@trials/lot $(BUILD)
	@trials/fifty $(BUILD)

# Eight served boards at work.
MINUTES ?= 60
soak: all
	@trials/soak $(BUILD) $(MINUTES)

screenshots: all
	@scripts/screenshots $(BUILD)

# Man pages, out of the command's own help and the public headers.
man: all
	@scripts/man $(BUILD) $(BUILD)/man

# Debian packages, in build-package.
package:
	@scripts/package build-package

install: all man
	@cmake --install $(BUILD) --prefix $(PREFIX)

# Removes what was installed last out of this build folder.
uninstall:
	@xargs rm -f < $(BUILD)/install_manifest.txt
	@echo "removed: $$(wc -l < $(BUILD)/install_manifest.txt) files"

format:
	@git ls-files -co --exclude-standard '*.c' '*.h' | xargs clang-format -i

check: all
	@scripts/check $(BUILD)

clean:
	@rm -rf $(BUILD) $(BUILD)-sanitized build-fuzz build-package
