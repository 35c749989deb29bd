#!/bin/sh
# The board template does not compile, and says of each gap and of nothing else that it is one.
#
# usage: template.sh SOURCE-FOLDER COMPILER
set -eu
cd "$1/boards/template"

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
