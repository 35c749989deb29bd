#!/bin/sh
# The command starts without the libraries that pull in dozens of others. Where one of them is missing,
# that is said before a board is touched, and what does not need it works.
#
# usage: start.sh COMMAND LIBRARY
set -eu
command=$1
heavy='lib(pq|zip|archive)\.so'

for file in "$@"; do
    if readelf -d "$file" | grep NEEDED | grep -E "$heavy"; then
        echo "$file is linked with it"
        exit 1
    fi
done

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
export HOME="$work/home" XDG_DATA_HOME="$work/home" XDG_STATE_HOME="$work/home" XDG_CACHE_HOME="$work/home"
mkdir "$work/home" "$work/broken" "$work/folder"
strings -a "$command" | grep -E "^$heavy[.0-9]*\$" > "$work/names"
[ -s "$work/names" ]
while read -r name; do
    : > "$work/broken/$name"
done < "$work/names"

# says TEXT ARGUMENT…: refused with exit code 3, and the text
says() {
    text=$1
    shift
    code=0
    LD_LIBRARY_PATH=$work/broken "$command" "$@" > "$work/said" 2>&1 || code=$?
    if [ "$code" -ne 3 ] || ! grep -q "$text" "$work/said"; then
        echo "$*: exit code $code"
        cat "$work/said"
        exit 1
    fi
}

"$command" bench add gauge --chip turnstone-t2 --flash 4MiB > "$work/said"
LD_LIBRARY_PATH=$work/broken "$command" identify --link bench:gauge > "$work/said"
grep -q 'Turnstone T2' "$work/said"
echo low water > "$work/folder/levels"
says 'libzip.so.*too short' backup --link bench:gauge "$work/backup.zip"
[ ! -e "$work/backup.zip" ]
says 'libarchive.so.*too short' write --link bench:gauge "0x100000=$work/folder"
if grep -q libpq "$work/names"; then
    says 'libpq.so.*too short' ledger list --ledger postgresql://gauge@127.0.0.1/levels
    says 'libpq.so.*too short' ledger list --ledger 'host=127.0.0.1 password=tide'
    ! grep -q tide "$work/said"
fi
