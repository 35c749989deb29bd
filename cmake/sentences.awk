# Sentences as C tables of struct template_row: awk -v OUT=FILE.c -f sentences.awk FILE.txt…
# The form of the files: jobs/words/sentences/README.md

function fail(what) {
    print FILENAME ":" FNR ": " what > "/dev/stderr"
    failed = 1
    exit 1
}

# The text with its phrases filled in.
function fill(text,    name) {
    while (match(text, /\{[A-Z][A-Z_]*\}/)) {
        name = substr(text, RSTART + 1, RLENGTH - 2)
        if (!(name in phrases))
            fail("there is no phrase {" name "}")
        text = substr(text, 1, RSTART - 1) phrases[name] substr(text, RSTART + RLENGTH)
    }
    return text
}

function literal(text) {
    if (text == "")
        return "NULL"
    gsub(/"/, "\\\"", text)
    gsub(/\\ /, " ", text)
    return "\"" text "\""
}

function end_row() {
    if (kind != "")
        print "    {" kind ", " literal(when) ", " literal(part[0]) ", " literal(part[1]) "}," > OUT
    kind = part[0] = part[1] = ""
}

function end_table() {
    end_row()
    if (table != "")
        print "};\nconst size_t sentences_" table "_size = G_N_ELEMENTS(sentences_" table ");" > OUT
}

BEGIN {
    print "/* Made from jobs/words/sentences. */\n#include \"jobs/words/sentences.h\"\n" > OUT
    print "#include \"wrytograph-host/words.h\"" > OUT
}

FNR == 1 {
    end_table()
    table = FILENAME
    sub(/.*\//, "", table)
    sub(/\.txt$/, "", table)
    print "\nconst struct template_row sentences_" table "[] = {" > OUT
}

/^#/ || /^$/ {
    next
}

/^[A-Z_]+ = / {
    phrases[$1] = fill(substr($0, length($1) + 4))
    next
}

/^[A-Z]/ {
    if (NF != 1 && (NF != 3 || $2 != "if"))
        fail("a row begins KIND or KIND if FACT")
    end_row()
    kind = $1
    when = $3
    which = 0
    next
}

/^    / {
    text = substr($0, 5)
    sub(/^ +/, "", text)
    if (substr(text, 1, 2) == "> ") {
        which = 1
        text = substr(text, 3)
    }
    part[which] = part[which] (part[which] ~ /(^|\\n)$/ ? "" : " ") fill(text)
    next
}

{
    fail("this is neither a kind, nor its text, nor a phrase")
}

END {
    if (!failed)
        end_table()
    else
        system("rm -f '" OUT "'")
}
