#!/bin/sh
# A shared library exports what its public headers declare, and nothing else.
#
# usage: exports.sh HEADER-FOLDER SHARED-LIBRARY
set -eu

headers=$1
library=$2
status=0

for symbol in $(nm -D --defined-only "$library" | awk '{print $3}'); do
    if ! grep -qE "\\b$symbol\\(" "$headers"/*.h; then
        echo "$symbol is exported, and no public header declares it"
        status=1
    fi
done
# The loader is a library of its own, and wry_auto a macro: neither is in this one.
for symbol in $(cat "$headers"/*.h | grep -oE '\bwry_[a-z0-9_]+\(' | tr -d '(' |
    grep -v '^wry_loader_' | grep -vx 'wry_auto' | sort -u); do
    # Calls with options are inline, over one that takes their size.
    nm -D --defined-only "$library" | grep -qw "${symbol}_of" && continue
    case $(grep -hE "\\b$symbol\\(" "$headers"/*.h | grep -vE '^ \*|^    |^static inline|^#define') in
        '') continue ;; # only spoken of
    esac
    if ! nm -D --defined-only "$library" | grep -qw "$symbol"; then
        echo "$symbol is declared, and the library does not export it"
        status=1
    fi
done
exit $status
