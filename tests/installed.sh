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
libraries=$(pkg-config --cflags --libs wrytograph-host)

export WRYTOGRAPH_BENCH="$work/bench"
"$work/tree/bin/wrytograph" bench add jig --chip turnstone-t2 --flash 4MiB > /dev/null

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
"$build/bin/gauge_images" "$work" > /dev/null
"$work/cmake/jig" "$work/gauge.bin" bench:jig | grep -q 'Turnstone T2, [0-9]* sectors written: done and verified'
echo "the installed tree is enough for $count examples"
