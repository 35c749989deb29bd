#!/bin/sh
# The man pages: one for the command and one for each verb, with every option of its help; one for
# each public header, with every function that it declares; all of them sound.
#
# usage: man.sh SOURCE-FOLDER BUILD-FOLDER
set -eu

command -v help2man > /dev/null && command -v mandoc > /dev/null || { echo "help2man or mandoc is not installed"; exit 77; }
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
"$1/scripts/man" "$2" "$work"
failed=0
verbs=0
for page in "$work"/*.1; do
    mandoc -T lint -W error "$page" || failed=1
    verb=$(basename "$page" .1 | sed -n 's/^wrytograph-//p')
    [ -n "$verb" ] || continue
    verbs=$((verbs + 1))
    mandoc -T utf8 "$page" | col -b > "$work/text"
    for help in --help --help-link; do
        "$2/bin/wrytograph" "$verb" $help 2> /dev/null | sed -n 's/^  .*\(--[a-z-]*\).*/\1/p' > "$work/options" || true
        while read -r option; do
            grep -q -e "$option" "$work/text" || { echo "$page lacks $option"; failed=1; }
        done < "$work/options"
    done
done
echo "$verbs verbs"
headers=0
for page in "$work"/*.3; do
    # One for each function leads to its header's.
    if grep -q '^\.so man3/' "$page"; then
        [ -f "$work/$(sed -n 's/^\.so man3\///p' "$page")" ] || { echo "$page leads nowhere"; failed=1; }
        continue
    fi
    mandoc -T lint -W warning "$page" || failed=1
done
for header in "$1"/include/wrytograph/*.h "$1"/include/wrytograph-host/*.h; do
    headers=$((headers + 1))
    page=$work/$(basename "$(dirname "$header")")-$(basename "$header" .h | tr _ -).3
    mandoc -T utf8 "$page" | col -b > "$work/text"
    for name in $(grep -o '\bwry_[a-z0-9_]*(' "$header"); do
        grep -qF "$name" "$work/text" || { echo "$page lacks $name"; failed=1; }
        [ -f "$work/${name%(}.3" ] || { echo "${name%(} has no page"; failed=1; }
    done
done
echo "$headers headers"
[ -s "$work/wrytograph.1" ] && [ "$verbs" -ge 13 ] || failed=1
exit $failed
