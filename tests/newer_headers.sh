#!/bin/sh
# A program that was compiled with the headers of a later version, in which every struct of options
# has one member more, runs with today's library.
#
# usage: newer_headers.sh SOURCE-FOLDER BUILD-FOLDER COMPILER [FLAG]
set -eu

source=$1
build=$2
compiler=$3
flag=${4:-}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

cp -r "$source/include" "$work/include"
structs=0
for name in station_settings images_options erase_options backup_options restore_options \
    console_options run_options; do
    header=$(grep -l "^struct wry_$name {" "$work"/include/wrytograph-host/*.h)
    sed -i "/^struct wry_$name {/,/^};/s/^};/    uint64_t of_a_later_version[4];\n};/" "$header"
    structs=$((structs + $(grep -c of_a_later_version "$header" | sed 's/^[1-9].*/1/')))
done
# What would be read behind the end of a struct that was filled with something else.
sed 's/struct wry_console_options listen = {.time = 1};/struct wry_console_options listen = {.time = 1, .of_a_later_version = {1, 2, 3, 4}};/' \
    "$source/examples/production_jig.c" > "$work/jig.c"
grep -q of_a_later_version "$work/jig.c"
# shellcheck disable=SC2046,SC2086
"$compiler" -std=c11 -Wall -Wextra -Werror $flag -I "$work/include" "$work/jig.c" -o "$work/jig" \
    $(pkg-config --cflags glib-2.0) -L "$build" -lwrytograph-host -lwrytograph $(pkg-config --libs glib-2.0)

export WRYTOGRAPH_BENCH="$work/bench" WRYTOGRAPH_STATE="$work/state" LD_LIBRARY_PATH="$build"
export WRYTOGRAPH_LEDGER="$work/ledger.db" WRYTOGRAPH_BACKUPS="$work/backups"
"$build/bin/gauge_images" "$work" > /dev/null
"$build/bin/wrytograph" bench add jig --chip turnstone-t2 --flash 4MiB --content "$work/returned-1.bin" > /dev/null
"$work/jig" "$work/gauge.bin" datum_mm=-1801 bench:jig | grep -q 'done and verified'
"$build/bin/wrytograph" verify --link bench:jig app="$work/gauge.bin" > /dev/null
echo "$structs structs with a member more: the jig ran"
[ "$structs" -eq 7 ]
