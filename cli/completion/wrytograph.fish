# Completion of wrytograph for fish. Verbs, their words and options come from the command's help,
# boards, ports and images from the command: nothing is written down twice.

function __wrytograph_program
    commandline -opc | head -n 1
end

function __wrytograph_verbs
    set -l program (__wrytograph_program)
    $program --help 2>/dev/null | env LC_ALL=C sed -n '/^verbs, /,/^$/s/^  \([a-z]*\)  *\(.*\)/\1\t\2/p'
end

function __wrytograph_verb
    set -l words (commandline -opc)
    test (count $words) -gt 1; and echo $words[2]
end

# The options of the verb, and what each does.
function __wrytograph_options
    set -l program (__wrytograph_program)
    set -l verb (__wrytograph_verb)
    begin
        $program $verb --help
        $program $verb --help-link
    end 2>/dev/null | env LC_ALL=C sed -n 's/^  *\(-[a-z], \)\{0,1\}\(--[a-z-]*=\{0,1\}\)[^ ]* *\(.*\)/\2\t\3/p'
end

# What a verb does by its first word: 'card check', 'bench add'.
function __wrytograph_subverbs
    set -l program (__wrytograph_program)
    set -l verb (__wrytograph_verb)
    $program $verb --help 2>/dev/null |
        env LC_ALL=C sed -n '/^Usage/,/^$/{s/^ *wrytograph [a-z]* \[OPTION[^]]*\] //;s/ | /\n/g;p;}' |
        env LC_ALL=C sed -n 's/^ *\([a-z][a-z]*\)\( .*\)\{0,1\}$/\1/p'
end

function __wrytograph_links
    set -l program (__wrytograph_program)
    $program ports --json 2>/dev/null | sed -n 's/.*"path" : "\(.*\)".*/\1/p'
    $program bench list 2>/dev/null | sed -n 's/^\([^ ]*\) .*/bench:\1/p'
end

function __wrytograph_images
    set -l program (__wrytograph_program)
    $program shelf list --json 2>/dev/null | sed -n 's/^ *"name" : "\([^"]*\)".*/shelf:\1/p' | sort -u
end

function __wrytograph_chips
    set -l program (__wrytograph_program)
    $program --version 2>/dev/null | sed -n 's/^chips  *//p' | sed 's/ and / /; s/,//g' | tr ' ' '\n'
end

function __wrytograph_wants_verb
    test (count (commandline -opc)) -eq 1
end

function __wrytograph_wants_subverb
    test (count (commandline -opc)) -eq 2
end

complete -c wrytograph -f -n __wrytograph_wants_verb -a '(__wrytograph_verbs)'
complete -c wrytograph -n __wrytograph_wants_subverb -a '(__wrytograph_subverbs)'
complete -c wrytograph -n 'not __wrytograph_wants_verb; and string match -q -- "-*" (commandline -ct)' -f -a '(__wrytograph_options)'
complete -c wrytograph -n 'not __wrytograph_wants_verb; and string match -q -- "*shelf*" (commandline -ct)' -a '(__wrytograph_images)'
complete -c wrytograph -s l -l link -x -a '(__wrytograph_links)'
complete -c wrytograph -l wiring -x -a 'rts-reset dtr-reset rts-reset-inverted dtr-reset-inverted cross-coupled none'
complete -c wrytograph -l chip -x -a '(__wrytograph_chips)'
complete -c wrytograph -l expect-chip -x -a '(__wrytograph_chips)'
complete -c wrytograph -l outcome -x -a 'passed failed refused stopped cut running'
