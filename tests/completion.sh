#!/bin/bash
# What the shells offer: verbs and their words, options, links, regions, images. fish and zsh are
# asked if they are there.
#
# usage: completion.sh SOURCE-FOLDER BUILD-FOLDER
set -u

work=$(mktemp -d)
source=$1
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
offers check wrytograph card ch
offers pack wrytograph card p
offers keys wrytograph card ""
offers labels wrytograph ledger la
offers press wrytograph bench p
offers serve wrytograph bench s
offers unset wrytograph settings un
offers failed wrytograph ledger list --outcome = f
export WRYTOGRAPH_SHELF="$PWD/shelf"
gauge_images images
wrytograph shelf add images/gauge.bin > /dev/null || exit 1
offers tide-gauge wrytograph write app = shelf : ti
# Letters that a locale sorts elsewhere.
if localedef -i tr_TR -f UTF-8 "$work/tr_TR.UTF-8" > /dev/null 2>&1; then
    offered=$(LOCPATH="$work" LC_ALL=tr_TR.UTF-8 bash -c "source '$source/cli/completion/wrytograph.bash'
        COMP_WORDS=(wrytograph id) COMP_CWORD=1; _wrytograph; echo \"\${COMPREPLY[*]}\"
        COMP_WORDS=(wrytograph shelf li) COMP_CWORD=2; _wrytograph; echo \"\${COMPREPLY[*]}\"" 2>&1)
    [ "$offered" = "identify
list" ] || { echo "in Turkish: offers $offered"; failed=1; }
fi

# The same by the shells themselves.
if command -v fish > /dev/null; then
    fish_offers() {
        XDG_CONFIG_HOME="$work" HOME="$work" fish --no-config -c \
            "source $source/cli/completion/wrytograph.fish; complete -C \"$2\"" 2>&1 |
            grep -q -- "^$1" || { echo "fish: $2: does not offer $1"; failed=1; }
    }
    fish_offers identify 'wrytograph id'
    fish_offers check 'wrytograph card '
    fish_offers --every-sector 'wrytograph write --ev'
    fish_offers bench:pier-1 'wrytograph identify --link '
    fish_offers turnstone-t2 'wrytograph plan --chip '
fi
if command -v zsh > /dev/null; then
    mkdir -p bash-completion/completions zsh/site-functions
    cp "$source/cli/completion/wrytograph.bash" bash-completion/completions/wrytograph
    cp "$source/cli/completion/_wrytograph" zsh/site-functions
    zsh -f "$source/tests/completion.zsh" "$PWD/zsh/site-functions" 'wrytograph ident' identify || failed=1
    zsh -f "$source/tests/completion.zsh" "$PWD/zsh/site-functions" 'wrytograph identify --link bench:pi' pier-1 || failed=1
fi
# What no verb has is offered by none.
COMP_WORDS=(wrytograph inspect --ever) COMP_CWORD=2
_wrytograph
[ ${#COMPREPLY[@]} -eq 0 ] || { echo "inspect offers ${COMPREPLY[*]}"; failed=1; }
exit $failed
