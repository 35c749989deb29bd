#!/bin/bash
# What the shell offers: verbs, options, links, regions.
#
# usage: completion.sh SOURCE-FOLDER BUILD-FOLDER
set -u

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
export PATH="$2/bin:$PATH" WRYTOGRAPH_BENCH="$work/bench"
cd "$work" || exit 1
source "$1/cli/completion/wrytograph.bash"
wrytograph bench add pier-1 --chip turnstone-t2 --flash 4MiB > /dev/null || exit 1
printf 'chip: turnstone-t2\nregions:\n  - {name: tides, offset: 0x100000, size: 64KiB}\n' > layout.yaml
printf 'x' > image.bin
failed=0

# offers WANTED WORD… : the last word is the one that is being typed.
offers() {
    local wanted=$1
    shift
    COMP_WORDS=("$@") COMP_CWORD=$(($# - 1)) COMPREPLY=()
    _wrytograph
    case " ${COMPREPLY[*]} " in
        *" $wanted "*) ;;
        *) echo "$*: offers '${COMPREPLY[*]}', not '$wanted'"; failed=1 ;;
    esac
}

offers write wrytograph wr
offers identify wrytograph ""
offers --every-sector wrytograph write --ev
offers --wiring= wrytograph write --wi
offers --layout= wrytograph plan --la
offers bench:pier-1 wrytograph identify --link ben
offers bench:pier-1 wrytograph identify --link = ben
offers bench:pier-1 wrytograph identify -l ""
offers pier-1 wrytograph identify -l bench:p
offers dtr-reset wrytograph identify --wiring = d
offers tides= wrytograph write --layout layout.yaml ti
offers image.bin wrytograph write --layout layout.yaml im
offers layout.yaml wrytograph write --layout lay
offers turnstone-t2 wrytograph identify --expect-chip tu
export XDG_CONFIG_HOME="$PWD/config"
mkdir -p config/wrytograph/chips
cp "$1/examples/heron-h1.yaml" config/wrytograph/chips
offers heron-h1 wrytograph plan --chip = he
offers --chip-file= wrytograph ports --chip
# What no verb has is offered by none.
COMP_WORDS=(wrytograph inspect --ever) COMP_CWORD=2
_wrytograph
[ ${#COMPREPLY[@]} -eq 0 ] || { echo "inspect offers ${COMPREPLY[*]}"; failed=1; }
exit $failed
