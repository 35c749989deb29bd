# Completion of wrytograph for bash; zsh takes it, too (see _wrytograph). Verbs and options come from
# the command's help, boards and ports from the command: nothing is written down twice.

# In the C locale: in others [a-z] may leave letters out, such as i in Turkish.
_wrytograph_sed() {
    LC_ALL=C sed "$@" 2> /dev/null
}

_wrytograph_verbs() {
    "$1" --help 2> /dev/null | _wrytograph_sed -n '/^verbs, /,/^$/s/^  \([a-z]*\)  *.*/\1/p'
}

# What a verb does by its first word: 'card check', 'bench add'.
_wrytograph_subverbs() {
    "$1" "$2" --help 2> /dev/null |
        _wrytograph_sed -n '/^Usage/,/^$/{s/^ *wrytograph [a-z]* \[OPTION[^]]*\] //;s/ | /\n/g;p;}' |
        _wrytograph_sed -n 's/^ *\([a-z][a-z]*\)\( .*\)\{0,1\}$/\1/p'
}

# Images on the shelf, for REGION=shelf:NAME.
_wrytograph_images() {
    "$1" shelf list --json 2> /dev/null | _wrytograph_sed -n 's/^ *"name" : "\([^"]*\)".*/\1/p' | sort -u
}

# The options of a verb, those that take a value with a = behind them.
_wrytograph_options() {
    {
        "$1" "$2" --help
        "$1" "$2" --help-link
    } 2> /dev/null | _wrytograph_sed -n 's/^  *\(-[a-z], \)\{0,1\}\(--[a-z-]*=\{0,1\}\).*/\2/p' | sort -u
}

# Ports of this computer, and boards of the bench.
_wrytograph_links() {
    "$1" ports --json 2> /dev/null | _wrytograph_sed -n 's/.*"path" : "\(.*\)".*/\1/p'
    "$1" bench list 2> /dev/null | _wrytograph_sed -n 's/^\([^ ]*\) .*/bench:\1/p'
}

# Regions of a layout file, as places of write, verify and plan.
_wrytograph_regions() {
    _wrytograph_sed -n 's/.*name: *\([A-Za-z0-9_-]*\).*/\1=/p' "$1"
}

# Chips that the command knows, in this user's folder too.
_wrytograph_chips() {
    "$1" --version 2> /dev/null | _wrytograph_sed -n 's/^chips  *//p' | _wrytograph_sed 's/ and / /; s/,//g'
}

_wrytograph() {
    local program=${COMP_WORDS[0]} verb=${COMP_WORDS[1]} word=${COMP_WORDS[COMP_CWORD]}
    local before="" option="" i layout="" words
    [ "$COMP_CWORD" -gt 0 ] && before=${COMP_WORDS[COMP_CWORD - 1]}

    COMPREPLY=()
    if [ "$COMP_CWORD" -eq 1 ]; then
        COMPREPLY=($(compgen -W "$(_wrytograph_verbs "$program") --help --version" -- "$word"))
        return
    fi
    # bash takes = for a word of its own.
    if [ "$word" = "=" ]; then
        option=$before word=""
    elif [ "$before" = "=" ]; then
        option=${COMP_WORDS[COMP_CWORD - 2]}
    else
        option=$before
    fi
    for ((i = 2; i < COMP_CWORD; i++)); do
        [ "${COMP_WORDS[i]}" = --layout ] || continue
        layout=${COMP_WORDS[i + 1]}
        [ "$layout" = "=" ] && layout=${COMP_WORDS[i + 2]}
    done
    case $option in
        --outcome) COMPREPLY=($(compgen -W "passed failed refused stopped cut running" -- "$word")) && return ;;
        -l | --link) words=$(_wrytograph_links "$program") ;;
        --wiring) words="rts-reset dtr-reset rts-reset-inverted dtr-reset-inverted cross-coupled none" ;;
        --chip | --expect-chip) words=$(_wrytograph_chips "$program") ;;
        --layout | --settings-description | --chip-file | --in | --from-file | --links | --logs | --trust | --sign | --output | -o) COMPREPLY=($(compgen -f -- "$word")) && return ;;
        *)
            case $word in
                -*) words=$(_wrytograph_options "$program" "$verb") ;;
                shelf:* | shelf)
                    # bash has split the word at the colon.
                    COMPREPLY=($(compgen -P shelf: -W "$(_wrytograph_images "$program")" -- "${word#shelf:}"))
                    COMPREPLY=("${COMPREPLY[@]#"${word%"${word##*:}"}"}")
                    return
                    ;;
                *)
                    if [ "$COMP_CWORD" -eq 2 ]; then
                        COMPREPLY=($(compgen -W "$(_wrytograph_subverbs "$program" "$verb")" -- "$word"))
                        [ ${#COMPREPLY[@]} -gt 0 ] && return
                    fi
                    if [ "$before" = : ] && [ "${COMP_WORDS[COMP_CWORD - 2]}" = shelf ]; then
                        COMPREPLY=($(compgen -W "$(_wrytograph_images "$program")" -- "$word"))
                        return
                    fi
                    COMPREPLY=($(compgen -W "$(_wrytograph_regions "$layout")" -- "$word") $(compgen -f -- "$word"))
                    compopt -o nospace 2> /dev/null
                    return
                    ;;
            esac
            ;;
    esac
    COMPREPLY=($(compgen -W "$words" -- "$word"))
    case ${COMPREPLY[0]-} in *=) compopt -o nospace 2> /dev/null ;; esac
    # After a colon bash, not zsh, wants what follows it alone.
    [ -n "${BASH_VERSION-}" ] || return 0
    case $word in
        *:*) COMPREPLY=("${COMPREPLY[@]#"${word%"${word##*:}"}"}") ;;
    esac
}

complete -F _wrytograph wrytograph
