#!/usr/bin/env python3
"""Manual pages and shell completions from what the program says of itself: texts.py REFERO-CLI FOLDER"""
import gzip
import os
import re
import subprocess
import sys

program, folder = sys.argv[1], sys.argv[2]
day = os.environ.get("REFERO_DAY", "2026")


def help_of(*words):
    environment = dict(os.environ, LC_ALL="C.UTF-8")
    return subprocess.run([program, *words, "--help"], env=environment, check=True, capture_output=True, text=True).stdout


def section_entries(text, heading):
    """(name, what it is) of an indented list under a heading."""
    entries, on = [], False
    for line in text.splitlines():
        if line and not line.startswith(" "):
            on = line.startswith(heading)
        elif on and (at := re.match(r"  (\S.*?)(?:  +(.*))?$", line)):
            entries.append([at.group(1), at.group(2) or ""])
        elif on and entries and line.strip():
            entries[-1][1] = (entries[-1][1] + " " + line.strip()).strip()
    return entries


def escaped(text):
    return text.replace("\\", "\\e").replace("-", "\\-").replace("\n.", "\n\\&.").replace("'", "\\(aq")


def page(name, text):
    """A page of section 1 with the sections of the help."""
    first = text.strip().splitlines()[0].rstrip(".")
    lines = [f'.TH "{name.upper()}" 1 "{day}" "Refero" "Refero"', ".SH NAME", f"{escaped(name)} \\- {escaped(first)}", ".SH SYNOPSIS"]
    usage = re.search(r"^Usage: (.*)$", text, re.M)
    lines.append(escaped(usage.group(1) if usage else name))
    for heading, title in (("Positionals", "ARGUMENTS"), ("Options", "OPTIONS"), ("Subcommands", "VERBS")):
        entries = section_entries(text, heading)
        if entries:
            lines.append(f".SH {title}")
        for what, words in entries:
            lines += [".TP", f"\\fB{escaped(what)}\\fR", escaped(words) or "\\&"]
    example = re.search(r"^Examples?: *(.*(?:\n  .*)*)", text, re.M)
    if example:
        lines += [".SH EXAMPLES", ".nf", escaped(example.group(1).strip()), ".fi"]
    lines += [".SH EXIT STATUS", "0 done; 1 failed inside; 2 wrong usage; 3 an input cannot be read; 4 no chart found; 5 the gate says reshoot."]
    return "\n".join(lines) + "\n"


def write(path, data):
    path = os.path.join(folder, path)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path + ".new", "wb") as out:
        out.write(data)
    os.replace(path + ".new", path)


def manual(name, text):
    write(f"man/man1/{name}.1.gz", gzip.compress(page(name, text).encode(), 9, mtime=0))


top = help_of()
verbs = [entry[0] for entry in section_entries(top, "Subcommands")]
helps = {verb: help_of(verb) for verb in verbs}
manual("refero-cli", top)
for verb, text in helps.items():
    manual("refero-cli-" + verb, text)
manual("refero", "Measure colour charts, make corrections and prove them\nUsage: refero [JOB|FRAME]...\n\nOptions:\n"
       "  --demo                      Opens the demo job\n")


def options(text):
    return [part for entry in section_entries(text, "Options") for part in re.split(r"[ ,]", entry[0]) if part.startswith("-")]


actions = [entry[0] for entry in section_entries(helps.get("job", ""), "Actions")]
bash = ["# Completion of refero-cli, made from its help.", "_refero_cli() {", '  local word="${COMP_WORDS[COMP_CWORD]}" verb="${COMP_WORDS[1]}" words=""',
        '  if [ "$COMP_CWORD" -eq 1 ]; then', f'    COMPREPLY=($(compgen -W "{" ".join(verbs)}" -- "$word")); return', "  fi", '  case "$verb" in']
for verb, text in helps.items():
    bash.append(f'    {verb}) words="{" ".join(options(text))}" ;;')
bash += ["  esac", '  case "$word" in', '    -*) COMPREPLY=($(compgen -W "$words" -- "$word")) ;;', '    *) COMPREPLY=($(compgen -f -- "$word")) ;;', "  esac",
         "}", "complete -o filenames -F _refero_cli refero-cli", ""]
write("bash-completion/completions/refero-cli", "\n".join(bash).encode())

zsh = ["#compdef refero-cli", "# Made from the program's help.", "local -a verbs", "verbs=("]
quoted = lambda words: words.replace("'", "'\\''").replace(":", "\\:").replace("[", "(").replace("]", ")")
for name, words in section_entries(top, "Subcommands"):
    zsh.append(f"  '{name}:{quoted(words)}'")
zsh += [")", "if (( CURRENT == 2 )); then _describe verb verbs; return; fi", "case $words[2] in"]
for verb, text in helps.items():
    entries = []
    for name, words in section_entries(text, "Options"):
        for option in re.split(r"[ ,]", name):
            if option.startswith("--"):
                entries.append(f"'{option}[{quoted(words)[:60]}]'")
    zsh.append(f"  {verb}) _arguments -S {' '.join(entries)} '*:file:_files' ;;")
zsh += ["esac", ""]
write("zsh/vendor-completions/_refero-cli", "\n".join(zsh).encode())
