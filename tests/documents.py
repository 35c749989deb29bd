#!/usr/bin/env python3
"""Runs every command of the documents, in a folder with the files of the tour, and compares what it
prints with what the document shows. A line "…" stands for any lines; dates and times of day are
masked.

    documents.py SOURCE BUILD
"""
import os
import re
import subprocess
import sys
import tempfile

source, build = sys.argv[1], sys.argv[2]
PREFIX = "    $ "
MASKS = (
    (re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\dZ?"), "DATE"),
    (re.compile(r"\d\d:\d\d:\d\d"), "TIME"),
)


def masked(line):
    for mask, word in MASKS:
        line = mask.sub(word, line)
    return line.rstrip()


def preparations():
    before, document = {}, None
    with open(os.path.join(source, "tests/documents.txt"), encoding="utf-8") as f:
        for line in f:
            line = line.rstrip("\n")
            if line.startswith("  "):
                command, shell = line[2:].split(" | ", 1)
                before[document, command] = shell
            elif line and not line.startswith("#"):
                document = line
    return before


def commands(text):
    """(line number, command, lines shown)"""
    found = []
    for number, line in enumerate(text.splitlines(), 1):
        if line.startswith(PREFIX):
            found.append((number, line[len(PREFIX):], []))
        elif line.startswith("    ") and found and found[-1][0] + len(found[-1][2]) + 1 == number:
            found[-1][2].append(line[4:])
    return found


def agrees(shown, printed):
    """All lines that are shown are printed, and, unless some are left out, no others."""
    shown = [masked(line) for line in shown]
    printed = [masked(line) for line in printed]
    left_out = "…" in shown
    rest = list(printed)
    for line in shown:
        if line == "…" or line == "":
            continue
        if line not in rest:
            return "not printed: " + line
        rest.remove(line)
    rest = [line for line in rest if line]
    return "not shown: " + rest[0] if rest and not left_out else None


def run_document(name, before, used):
    with open(os.path.join(source, name), encoding="utf-8") as f:
        found = commands(f.read())
    if not found:
        return []
    script, unlike = ["set -u"], set()
    for i, (_, command, _) in enumerate(found):
        for (document, beginning), shell in before.items():
            if document != name or (document, beginning) in used:
                continue
            if command.startswith(beginning):
                used.add((document, beginning))
                if shell == "unlike":
                    unlike.add(i)
                else:
                    script.append("{ %s; } > set-up.log 2>&1 || cat set-up.log >&2" % shell)
        script += ["echo '@@%d'" % i, command + " 2>&1", "echo \"@@%d= $?\"" % i]
    with tempfile.TemporaryDirectory(prefix="wrytograph-documents-") as folder:
        env = {key: value for key, value in os.environ.items() if not key.startswith("WRYTOGRAPH_")}
        env.update(PATH=os.path.join(build, "bin") + ":" + os.environ["PATH"], HOME=folder,
                   WRYTOGRAPH_BENCH="bench", WRYTOGRAPH_SHELF="shelf",
                   WRYTOGRAPH_LEDGER=os.path.join(folder, "ledger.db"), XDG_DATA_HOME=folder,
                   XDG_STATE_HOME=folder, XDG_CACHE_HOME=folder, XDG_CONFIG_HOME=folder)
        subprocess.run(["gauge_images", folder], env=env, check=True)
        done = subprocess.run(["bash", "-c", "\n".join(script)], env=env, cwd=folder,
                              stdout=subprocess.PIPE, stderr=subprocess.STDOUT, timeout=300,
                              stdin=subprocess.DEVNULL, check=False)
    return judge(name, found, unlike, done.stdout.decode("utf-8", "replace"))


def judge(name, found, unlike, output):
    wrong = []
    for i, (number, command, shown) in enumerate(found):
        part = re.search(r"^@@%d\n(.*?)^@@%d= (\d+)$" % (i, i), output, re.S | re.M)
        if not part:
            wrong.append("%s:%d: %s: it did not run\n%s" % (name, number, command, output[-500:]))
            continue
        printed, code = part.group(1).splitlines(), int(part.group(2))
        refused = any(line.startswith("wrytograph ") for line in shown) or "not held" in command \
            or any(line.startswith("Check, in this order") for line in shown)
        why = agrees(shown, printed) if shown and i not in unlike else None
        if (code != 0) != refused and i not in unlike:
            why = "exit code %d" % code
        if why:
            wrong.append("%s:%d: %s: %s\n%s" % (name, number, command, why,
                                                "\n".join("  | " + line for line in printed)))
    return wrong


def main():
    before, used, wrong, count = preparations(), set(), [], 0
    documents = ["README.md"] + ["docs/" + name for name in sorted(
        os.listdir(os.path.join(source, "docs"))) if name.endswith(".md")]
    for name in documents:
        with open(os.path.join(source, name), encoding="utf-8") as f:
            count += sum(line.startswith(PREFIX) for line in f)
        wrong += run_document(name, before, used)
    wrong += ["tests/documents.txt: no command for %s: %s" % key for key in before
              if key not in used]
    print("\n".join(wrong))
    print("%d commands of the documents, %d wrong" % (count, len(wrong)))
    return 1 if wrong or count < 40 else 0


sys.exit(main())
