#!/bin/sh
# The core and the loader need nothing from an operating system: compiled with -ffreestanding and
# with the compiler's own headers alone, the only symbols they leave undefined are memcpy, memmove, memset and
# memcmp.
#
# usage: freestanding.sh SOURCE-FOLDER COMPILER
set -eu

source=$1
compiler=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

builtin=$("$compiler" -print-file-name=include)

count=0
for file in "$source"/core/*/*.c "$source"/loader/*.c; do
    count=$((count + 1))
    "$compiler" -std=c11 -O2 -ffreestanding -fno-pie -fno-stack-protector -nostdinc -isystem "$builtin" \
        -I "$source/include" -I "$source/core" -c "$file" -o "$work/$count.o"
done
ld -r -o "$work/all.o" "$work"/[0-9]*.o
undefined=$(nm -u "$work/all.o" | awk '{print $2}' | grep -vx -e memcpy -e memmove -e memset -e memcmp || true)
if [ -n "$undefined" ]; then
    echo "core and loader need: $undefined"
    exit 1
fi
if nm "$work/all.o" | grep -E ' [BbDdC] '; then
    echo "core and loader hold global data that can change"
    exit 1
fi
echo "$count files of core and loader stand alone"
