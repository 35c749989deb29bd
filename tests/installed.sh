#!/bin/sh
# What is installed is enough: every example compiles against the installed tree by pkg-config, one
# also by the CMake package, and they run.
#
# usage: installed.sh SOURCE-FOLDER BUILD-FOLDER COMPILER [FLAG]
set -eu

source=$1
build=$2
compiler=$3
flag=${4:-}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

cmake --install "$build" --prefix "$work/tree" > "$work/install.log"
PKG_CONFIG_PATH=$(dirname "$(find "$work/tree" -name wrytograph-host.pc)")
LD_LIBRARY_PATH=$(dirname "$PKG_CONFIG_PATH")
export PKG_CONFIG_PATH LD_LIBRARY_PATH
libraries=$(pkg-config --cflags --libs wrytograph-host gio-2.0)

export WRYTOGRAPH_BENCH="$work/bench"
export WRYTOGRAPH_STATE="$work/state" WRYTOGRAPH_LEDGER="$work/ledger.db" WRYTOGRAPH_BACKUPS="$work/backups"
"$build/bin/gauge_images" "$work" > /dev/null
"$work/tree/bin/wrytograph" bench add jig --chip turnstone-t2 --flash 4MiB --content "$work/returned-1.bin" > /dev/null

count=0
for example in "$source"/examples/*.c; do
    # shellcheck disable=SC2086
    "$compiler" -std=c11 -Wall -Wextra -Werror $flag "$example" \
        -o "$work/$(basename "$example" .c)" $libraries
    count=$((count + 1))
done
"$work/identify_board" bench:jig | grep -q 'Turnstone T2, 4096 KiB of flash'

cat > "$work/CMakeLists.txt" <<EOF
cmake_minimum_required(VERSION 3.25)
project(jig LANGUAGES C)
find_package(wrytograph REQUIRED)
add_executable(jig $source/examples/production_jig.c)
target_link_libraries(jig PRIVATE wrytograph::host)
EOF
{
    cmake -S "$work" -B "$work/cmake" -DCMAKE_PREFIX_PATH="$work/tree" \
        -DCMAKE_C_COMPILER="$compiler" -DCMAKE_C_FLAGS="$flag" && cmake --build "$work/cmake"
} > "$work/cmake.log" 2>&1 || { cat "$work/cmake.log"; exit 1; }
"$work/cmake/jig" "$work/gauge.bin" datum_mm=-1801 bench:jig | grep -q 'bench:jig: done and verified'
# An instrumented library cannot be loaded by a program that is not.
[ -n "$flag" ] || python3 "$source/examples/production_jig.py" "$work/gauge.bin" datum_mm=-1802 bench:jig |
    grep -q 'bench:jig: done and verified'
# It may be moved, and finds itself there.
mv "$work/tree" "$work/moved"
unset LD_LIBRARY_PATH
"$work/moved/bin/wrytograph" --version > /dev/null
if ldd "$(find "$work/moved" -name libwrytograph-host.so)" | grep -q 'not found'; then
    echo "the moved library does not find what it needs"
    exit 1
fi
echo "the installed tree is enough for $count examples"
