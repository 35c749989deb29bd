#!/bin/sh
# The board template does not compile, and says of each gap and of nothing else that it is one. Filled
# in, as little as it takes, it links for ARM and for RISC-V.
#
# usage: template.sh SOURCE-FOLDER COMPILER
set -eu
source=$1
cd "$source/boards/template"

if said=$("$2" -std=c11 -fsyntax-only -I ../../include board.c 2>&1); then
    echo "boards/template/board.c compiles: its gaps are not marked"
    exit 1
fi
errors=$(echo "$said" | grep -c 'error:')
gaps=$(echo "$said" | grep -c 'error:.*to be filled in')
marked=$(grep -c '^ *GAP(' board.c)
echo "$marked gaps, $gaps told of, $errors errors"
[ "$gaps" -eq "$marked" ] && [ "$errors" -eq "$marked" ]
if make -n > /dev/null 2>&1; then
    echo "boards/template/Makefile runs: its gaps are not marked"
    exit 1
fi

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

fill() { # COMPILER FLAGS START-CODE
    rm -rf "$work/boards"
    mkdir -p "$work/boards"
    cp -r "$source/boards/template" "$source"/boards/*.[ch] "$work/boards"
    for folder in include core loader; do
        ln -sfn "$source/$folder" "$work/$folder"
    done
    cd "$work/boards/template"
    sed -i 's/GAP("put bytes.*/return n;/; s/GAP("true when.*/return true;/; s/GAP("microseconds.*/return 0;/
        s/^\( *\)GAP(".*/\1;/' board.c
    sed -i "s/GAP_where[a-zA-Z_]*/0x20000000/; s/GAP_its[a-zA-Z_]*/256K/" link.ld
    sed -i "s|^CC =.*|CC = $1|; s|^FLAGS =.*|FLAGS = $2|; /^.(error/d" Makefile
    sed -i '/\.error/d' start.S
    echo "$3" >> start.S
}

linked=0
link() { # COMPILER CODINGS FLAGS START-CODE
    if ! command -v "$1" > /dev/null; then
        echo "not linked: there is no $1"
        return
    fi
    fill "$1" "$3" "$4"
    make -s CODINGS="$2"
    text=$("${1%gcc}size" loader.elf | sed -n '2s/^ *\([0-9]*\).*/\1/p')
    echo "$1 $3: $text bytes of text, codings: $2"
    [ "$text" -gt 8000 ]
    if [ -n "$("${1%gcc}nm" -u loader.elf)" ]; then
        echo "undefined: $("${1%gcc}nm" -u loader.elf)"
        exit 1
    fi
    linked=$((linked + 1))
}

link arm-none-eabi-gcc 0 "-mcpu=cortex-m0plus -mthumb" "    bl main"
link arm-none-eabi-gcc 1 "-mcpu=cortex-m4 -mthumb" "    bl main"
link riscv64-unknown-elf-gcc 0 "-march=rv32imac -mabi=ilp32" "    call main"
link riscv64-unknown-elf-gcc 1 "-march=rv64imac -mabi=lp64 -mcmodel=medany" "    call main"
[ "$linked" -gt 0 ] || echo "not linked at all: scripts/install-deps --emulator installs the compilers"
