#!/bin/sh
# The core and the loader need nothing from an operating system: compiled with -ffreestanding and
# without hosted headers, the only symbols they leave undefined are memcpy, memmove, memset and
# memcmp.
#
# usage: freestanding.sh SOURCE-FOLDER COMPILER
set -eu

source=$1
compiler=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

# A header folder with only what a freestanding compiler has to offer, and the four functions.
mkdir "$work/include"
cat > "$work/include/string.h" <<'H'
#include <stddef.h>
void *memcpy(void *restrict to, const void *restrict from, size_t n);
void *memmove(void *to, const void *from, size_t n);
void *memset(void *to, int value, size_t n);
int memcmp(const void *a, const void *b, size_t n);
H
builtin=$("$compiler" -print-file-name=include)

count=0
for file in "$source"/core/*/*.c "$source"/loader/*.c; do
    count=$((count + 1))
    "$compiler" -std=c11 -O2 -ffreestanding -fno-pie -fno-stack-protector -nostdinc -isystem "$builtin" \
        -isystem "$work/include" -I "$source/include" -c "$file" -o "$work/$count.o"
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
