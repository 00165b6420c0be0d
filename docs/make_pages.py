"""Makes the pages of documentation that are made from the code, and what the tutorial and the how-tos show.

    python docs/make_pages.py

The pages of the findings come from the checks and from the games of their tests; the outputs in the tutorial and the
how-tos come from their own commands. A test holds that all are as this makes them.
"""

from __future__ import annotations

import importlib.util
import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import mint_ledger as mint
from mint_ledger.audit.audit import CHECKS
from mint_ledger.audit.finding import Check
from mint_ledger.demo import starter_text
from mint_ledger.views.finding_page import finding_page, findings_index

DOCS = Path(__file__).parent
sys.path.insert(0, str(DOCS))
from make_api import api_pages  # noqa: E402

TESTS = DOCS.parent / "tests" / "audit"
FROM_NEW = (DOCS / "tutorial.md", DOCS / "three-ways.md")  # they play the game that `mint-ledger new` writes
HOW_TOS = sorted((DOCS / "how-to").glob("*.md"))
BLOCK = re.compile(r"^```(\w+)(?: file=(\S+))?\n(.*?)^```$", re.MULTILINE | re.DOTALL)


def pages(each: int = 1) -> Iterator[tuple[Path, str | None]]:
    """All pages that are made from the code: where each stands, and its text.

    Only one in `each` of the findings has a text: their games are played for it.
    """
    yield DOCS / "columns.md", columns_page()
    yield DOCS / "game-file-keys.md", keys_page()
    yield DOCS / "how-to" / "orchard.yaml", starter_text()
    yield DOCS / "patterns.md", patterns_page()
    for name, text in api_pages():
        yield DOCS / name, text
    yield DOCS / "options.md", options_page()
    yield DOCS / "findings.md", findings_index(CHECKS)
    for place, check in enumerate(CHECKS):
        yield DOCS / "findings" / f"{check.name}.md", _page(check) if place % each == 0 else None


def patterns_page() -> str:
    """All patterns, each as it is pasted."""
    from mint_ledger.patterns import patterns

    known = patterns()
    parts = [
        "# Patterns",
        f"{len(known)} pieces of a game file that are copied and pasted. Each stands in the game that `mint-ledger new` writes\n"
        "(a gardener, wasps that sting, a habit that swats them), so its lines go into the sections of those names: keys go to\n"
        "the keys that are there, rules to the rules. `mint-ledger new` puts several of them together into a file that plays:",
        "```\nmint-ledger new mygame.yaml --with boss,pickups,lives\n```",
        "Each brings a playtest or a measure that says what it does. In a game of your own, put your names in the place of\n"
        "`gardener` and `wasp`.",
        "| pattern | what it is |\n|---|---|\n"
        + "\n".join(f"| [`{name}`](#{name.replace('_', '-')}) | {pattern.title} |" for name, pattern in known.items()),
    ]
    for name, pattern in known.items():
        alone = " It is a game of its own." if pattern.is_a_game else ""
        not_with = f" It does not go with {' or '.join(f'`{o}`' for o in pattern.not_with)}." if pattern.not_with else ""
        parts += [
            f'<a id="{name.replace("_", "-")}"></a>',
            f"## {pattern.title}",
            f"{pattern.about}{alone}{not_with} `--with {name}`",
            f"```yaml\n{pattern.text.rstrip()}\n```",
        ]
    return "\n\n".join(parts) + "\n"


def columns_page() -> str:
    """What the columns of all data files mean."""
    from mint_ledger.balance import attacks, grid, matchup, shares, sweep
    from mint_ledger.formula.syntax import MEASURE_MEANINGS
    from mint_ledger.journal import table
    from mint_ledger.studies import columns, course, ends, income, shape

    parts = (
        ("The journal", "`run -o`, `run.journal`: one row for each thing that happened.", table.COLUMNS),
        ("The runs of a study", "`study -o`, `study.measures`: one row a run.", columns.COLUMNS),
        ("Ends", "`study --ends -o`, `ends.table()`: one row each time that something ended or was lost.", ends.COLUMNS),
        ("The course", "`study --per -o`, `course.table()`: one row a stretch, account and cause.", course.COLUMNS),
        ("Attacks", "`study --attacks -o`, `attacks.table()`: a row an attack, a target, and a cost.", attacks.COLUMNS),
        ("Income", "`study --income -o`, `income.table()`: one row an interval and cause.", income.COLUMNS),
        ("A shape", "`study.shape(measure).table()`: one row a bin.", shape.COLUMNS),
        ("A grid", "`study --each -o`, `grid.table()`: one row a cell.", grid.COLUMNS),
        ("Shares", "`compare --shares -o`, `shares.table()`: one row a change.", shares.COLUMNS),
        ("The points of a sweep", "`sweep -o`, `sweep.table()`: one row a setting of the dials.", sweep.COLUMNS),
        ("Matchups", "`matchup -o`, `matchups.table()`: one row for each attack and whom it may strike.", matchup.COLUMNS),
    )
    lines = [
        "# The columns of data files",
        "",
        "`-o` writes `.csv`, `.jsonl` (one JSON object a line) or `.parquet` (with the extra `[parquet]`), with the same",
        "columns. Numbers are written so that they read back as they were. This page is made from the code.",
    ]
    for title, about, columns in parts:
        lines += ["", f"## {title}", "", about, "", "| column | meaning |", "|---|---|"]
        lines += [f"| `{name}` | {meaning} |" for name, meaning in columns.items()]
    lines += ["", "## Measures", "", "Any of these may be a column of the runs of a study.", "", "| measure | what it is |", "|---|---|"]
    lines += [f"| {form} | {' '.join(meaning.split())} |" for form, meaning in MEASURE_MEANINGS.items()]
    return "\n".join(lines) + "\n" + WATCHED


WATCHED = """
All that is watched is looked at once at the end of each step, the last one included. A run for the measures of tension,
with health from 0 to 10 and a rival who stands at 5:

| second | 0 | 1 | 2 | 3 | 4 | 5 | 6 | 7 | 8: won |
|---|---|---|---|---|---|---|---|---|---|
| health | 10 | 8 | **1** | **1** | 6 | **2** | 9 | **0** | 5 |
| leads | it | it | rival | rival | it | rival | it | rival | (equal) |

- `escapes(health, 0.2)` is 3: out again at 4, 6 and 8.
- `won_from(health, 0.2)` is 1: it was won, and health had been at 2 or less.
- `lead_changes(it.health, rival.health)` is 5: at 2, 4, 5, 6 and 7; at 8 they are equal, and the rival leads on.
- `idle(it)` is 4 seconds at least, if its one action costs 2 breath of 3, it acts at 1, and 2 breath come at 5: from 1 to
  5 it cannot act.

And one for a shop that is open from 2 to 5, with a lamp at 25 pence:

| turn | 0 | 1 | 2: opens | 3 | 4 | 5: shuts | 6: opens | 7 | 8: shuts |
|---|---|---|---|---|---|---|---|---|---|
| pence | 10 | 10 | **20** | 30 | 30 | 30 | **30** | 5 | 5 |

`offers(buy_lamp)` is 2, `offers(buy_lamp, could)` 2, `offers(buy_lamp, taken)` 1 (at 7), `offers(buy_lamp, held)` 50.
"""


def keys_page() -> str:
    """Every key of the game file, from the models."""
    from mint_ledger.game.schema import game_schema

    schema = game_schema()
    lines = [
        "# All keys of the game file",
        "",
        "Made from the models that read the file, and the same that `mint-ledger schema` gives to editors. How the parts go",
        "together stands in [the game file](game-file.md). Keys in **bold** have to be there.",
        "",
        "## The file",
        "",
        *_keys(schema),
    ]
    for name, part in schema["$defs"].items():
        whole = next((option for option in part.get("anyOf", [part]) if "properties" in option), None)
        lines += ["", f"## {name}", "", _plain(part["description"])]
        short = [_kind(option) for option in part.get("anyOf", []) if "properties" not in option and "$ref" not in option]
        if short:
            lines += ["", f"Short: {', '.join(short)}."]
        if whole is not None:
            lines += ["", *_keys(whole)]
        elif "anyOf" in part:
            lines += ["", f"One of {', '.join(_kind(option) for option in part['anyOf'])}."]
    return "\n".join(lines) + "\n"


def _keys(part: dict) -> list[str]:
    required = part.get("required", [])
    lines = ["| key | what may stand there | what it does |", "|---|---|---|"]
    for name, schema in part["properties"].items():
        if name.endswith("_"):
            continue
        shown = f"**`{name}`**" if name in required else f"`{name}`"
        takes = {key: value for key, value in schema.items() if key not in ("description", "default", "examples")}
        told = schema["description"]
        if schema.get("default") not in (None, [], {}, ""):
            told += f" Without it `{_as_yaml(schema['default'])}`."
        told += f" Like `{_as_yaml(schema['examples'][0])}`."
        lines.append(f"| {shown} | {_kind(takes)} | {told.replace('|', chr(92) + '|')} |")
    return lines


def _as_yaml(value: object) -> str:
    """A plain value as one line of YAML."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, dict):
        return "{" + ", ".join(f"{key}: {_as_yaml(item)}" for key, item in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_as_yaml, value)) + "]"
    return str(value)


def _kind(schema: dict) -> str:
    """A schema in a few words."""
    if "$ref" in schema:
        name = schema["$ref"].rpartition("/")[2]
        return f"[{name}](#{name.lower()})"
    if "pattern" in schema or schema == {"enum": [0, 1]}:
        return ""
    if "anyOf" in schema:
        options = [kind for kind in dict.fromkeys(_kind(o) for o in schema["anyOf"]) if kind and kind != "nothing"]
        if len(options) == 2 and options[0] == f"a list of {options[1]}":
            return f"{options[1]}, or a list of them"
        return " or ".join(options)
    if "enum" in schema:
        return " · ".join(f"`{value}`" for value in schema["enum"])
    if "const" in schema:
        return f"`{schema['const']}`"
    if "description" in schema and schema.get("type") not in ("object", "array"):
        return _plain(schema["description"])
    if schema.get("type") == "array":
        inner = _kind(schema["items"]) if "items" in schema else "names"
        return f"a list of {inner}"
    if schema.get("type") == "object":
        inner = schema.get("additionalProperties")
        if not isinstance(inner, dict):
            return "a mapping"
        return f"by name: {_kind(inner).replace('by name: ', 'by name, ')}"
    if schema["type"] == ["string", "array"]:
        return "a name, or a list of names"
    kinds = schema["type"] if isinstance(schema["type"], list) else [schema["type"]]
    words = {"number": "a number", "integer": "a whole number", "string": "a text", "boolean": "yes or no", "null": "nothing"}
    return " or ".join(words.get(kind, kind) for kind in kinds)


def _plain(text: str) -> str:
    return text.replace("|", "\\|")


# What each command shows of the demo game.
PICTURES = {
    "demo": [("demo", "The tour")],
    "check": [("check", "What check shows")],
    "run": [("run", "A run with its highlights"), ("run-plot", "A night as a picture")],
    "statement": [("statement", "The keeper's health as a statement")],
    "why": [("why", "Why the health is what it is")],
    "try": [("try", "Playing by hand")],
    "audit": [("audit", "What audit finds")],
    "study": [("study", "Ten thousand nights"), ("study-plot", "Ten thousand nights as a picture")],
    "targets": [("targets", "Targets: met, missed or undecided")],
    "sweep": [("sweep-plot", "Wins over a dial")],
    "compare": [("compare", "Two sets of dials, run by run")],
    "tune": [("tune", "The values of a dial that meet a target")],
    "sensitivity": [("sensitivity-plot", "Which dials matter")],
    "matchup": [("matchup-plot", "Hits to defeat")],
    "watch": [("watch", "What a save changed")],
    "report": [("report", "The page to send round")],
    "tables export": [("sheet", "The numbers as a spreadsheet")],
}


def commands_page() -> str:
    """What each command says of itself."""
    lines = [
        "# The commands",
        "",
        "Every command tells this with `--help`. Which take which stands in",
        "[the options](options.md); what they share in [exit codes, streams and what is said](exit-codes.md).",
    ]
    for words in _all_commands():
        done = subprocess.run(
            [sys.executable, "-m", "mint_ledger.cli.main", *words, "--help"],
            capture_output=True, text=True, encoding="utf-8", check=True,
            env={**os.environ, "PYTHONIOENCODING": "utf-8", "COLUMNS": "80", "TERMINAL_WIDTH": "80"},
        )
        text = done.stdout.replace("python -m mint_ledger.cli.main", "mint-ledger").strip()
        lines += ["", f"## {' '.join(words)}", "", "```text", text, "```"]
        lines += [f"\n![{what}](screenshots/{name}.png)" for name, what in PICTURES.get(" ".join(words), ())]
    return "\n".join(lines) + "\n"


def options() -> dict[str, dict[str, tuple[str, str]]]:
    """Each option by its name: for each command that has it what it takes (nothing: a switch), and its help."""
    import typer.main

    from mint_ledger.cli.main import app

    found: dict[str, dict[str, tuple[str, str]]] = {}

    def look(group: object, before: str) -> None:
        for name, command in group.commands.items():  # type: ignore[attr-defined]
            if hasattr(command, "commands"):
                look(command, f"{before}{name} ")
                continue
            for param in command.params:
                if param.param_type_name == "option" and not getattr(param, "hidden", False):
                    long = next(spelled for spelled in param.opts if spelled.startswith("--"))
                    takes = "" if param.is_flag else param.metavar or str(param.name).upper()
                    found.setdefault(long, {})[f"{before}{name}"] = (takes, param.help or "")

    look(typer.main.get_command(app), "")
    return found


def options_page() -> str:
    """Which commands take which option, and what it says there."""
    lines = [
        "# The options",
        "",
        "An option means the same in all commands that take it. Which options go together is checked: one that would do",
        "nothing is refused. `-q`, `--log-level` and `--help` belong to all commands.",
        "",
        "| option | takes | commands | what it says |",
        "|---|---|---|---|",
    ]
    for name, commands in sorted(options().items()):
        said: dict[tuple[str, str], list[str]] = {}
        for command, what in commands.items():
            said.setdefault(what, []).append(command)
        for (takes, text), where in said.items():
            shown = ", ".join(f"`{command}`" for command in where)
            cells = [f"`{name}`", f"`{takes}`" if takes else "", shown, text.replace("|", "\\|")]
            lines.append(f"| {' | '.join(cells)} |")
    return "\n".join(lines) + "\n"


def _all_commands() -> list[list[str]]:
    import typer.main

    from mint_ledger.cli.main import app

    found = []
    for name, command in typer.main.get_command(app).commands.items():
        inner = getattr(command, "commands", None)
        found += [[name, more] for more in inner] if inner else [[name]]
    return found


def _page(check: Check) -> str:
    example, runs = _example(check)
    audit = mint.loads(example, "game.yaml").audit(runs=runs, only=[check.name])
    return finding_page(check, example, audit.summary(notes=True))


def _example(check: Check) -> tuple[str, int]:
    """The faulty game of a check's tests, and how many runs show its fault."""
    path = TESTS / f"test_{check.name.replace('-', '_')}.py"
    sys.path.insert(0, str(TESTS))
    spec = importlib.util.spec_from_file_location(path.stem, path)
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    sys.path.pop(0)
    text = module.FAULTY if hasattr(module, "FAULTY") else module.chain(10)
    return text.strip() + "\n", 10 if check.plays else 0


def replayed(page: Path, folder: Path) -> str:
    """A page with what its commands print now.

    The game files beside it are there from the start; its own files are written and changed as it says.
    """
    for game in page.parent.glob("*.yaml"):
        shutil.copy(game, folder)
    text = page.read_text(encoding="utf-8")
    if page in FROM_NEW and "mint-ledger new orchard.yaml" not in text:
        (folder / "orchard.yaml").write_text(starter_text(), encoding="utf-8")

    def play(block: re.Match[str]) -> str:
        kind, file, content = block[1], block[2], block[3]
        if kind == "diff":
            _change(folder / file, content)
        elif file:
            (folder / file).write_text(content, encoding="utf-8")
        elif kind == "console":
            return f"```console\n{_outputs(content, folder)}```"
        return block[0]

    return BLOCK.sub(play, text)


def _change(path: Path, content: str) -> None:
    lines = content.splitlines(keepends=True)
    old = "".join(line[1:] for line in lines if line[0] in "- ")
    new = "".join(line[1:] for line in lines if line[0] in "+ ")
    text = path.read_text(encoding="utf-8")
    assert text.count(old) == 1, f"{old!r} stands {text.count(old)} times in {path.name}"
    path.write_text(text.replace(old, new), encoding="utf-8")


def _outputs(content: str, folder: Path) -> str:
    """Each command, and under it what it prints."""
    shown = []
    lines = content.splitlines()
    for place, line in enumerate(lines):
        if not line.startswith("$ "):
            continue
        words = shlex.split(line[2:])
        # What is typed at the prompt of `try` stands behind its sign, as it is shown.
        later = lines[place + 1 :]
        own = later[: next((k for k, other in enumerate(later) if other.startswith("$ ")), len(later))]
        typed = "\n".join(other[2:] for other in own if other.startswith("> ")) or None
        if "|" in words:  # printf 'lines' | mint-ledger try …
            typed = words[1].replace("\\n", "\n")
            words = words[words.index("|") + 1 :]
        done = subprocess.run(
            [sys.executable, "-m", "mint_ledger.cli.main", *words[1:]],
            cwd=folder, input=typed, capture_output=True, text=True, encoding="utf-8",
            env={**os.environ, "PYTHONIOENCODING": "utf-8", "COLUMNS": "80"}, check=False,
        )
        assert "Traceback" not in done.stderr, done.stderr
        shown.append(f"{line}\n{done.stdout}{done.stderr}")
    return "\n".join(shown)


def main() -> None:
    """Write all pages."""
    for path, text in pages():
        path.parent.mkdir(exist_ok=True)
        path.write_text(text, encoding="utf-8")
    (DOCS / "commands.md").write_text(commands_page(), encoding="utf-8")
    for page in (*FROM_NEW, *HOW_TOS):
        with tempfile.TemporaryDirectory() as folder:
            page.write_text(replayed(page, Path(folder)), encoding="utf-8")


if __name__ == "__main__":
    main()
