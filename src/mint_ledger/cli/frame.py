"""What all commands share: help in groups, `-q`, `--log-level`, and `-` for the streams."""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager, nullcontext
from functools import wraps
from typing import Annotated, Any

import typer
from typer.core import TyperCommand, TyperGroup

from mint_ledger.cli.arguments import read_dials
from mint_ledger.cli.files import STREAM
from mint_ledger.cli.origin import asked
from mint_ledger.cli.output import be_quiet, give_stdout_to_data, say
from mint_ledger.cli.together import refuse_ignored
from mint_ledger.errors import BadRequest
from mint_ledger.plain import neutral

WRITE, PLAY, JUDGE, TUNE, SHARE = "Write", "Play", "Judge", "Tune", "Share"
# The commands that most need, in the order of the work; then all others by what they are for.
FIRST = ("new", "check", "run", "why", "study", "compare", "tune", "report")
LEVELS = ("debug", "info", "warning", "error")
# Where `-` is what is read.
INPUTS = ("game", "other", "script", "plays")


class Group(TyperGroup):
    """The command itself: its help lists the commands by what they are for, each in one whole line."""

    def format_help_text(self, ctx: Any, formatter: Any) -> None:
        """What the command is for, right below its usage, so that the first screen has room for all."""
        with formatter.indentation():
            formatter.write_text(self.help or "")

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """The options of all commands, then the commands."""
        for param in self.params:
            if param.name == "show_completion":
                # The first screen has room for all commands, and --install-completion does more.
                param.hidden = True  # type: ignore[attr-defined]
        super().format_options(ctx, formatter)

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """The commands that most need, in the order of the work; then the others, group by group."""
        groups: dict[str, list[tuple[str, str]]] = {}
        first: dict[str, str] = {}
        for name in self.list_commands(ctx):
            command = self.get_command(ctx, name)
            if command is None or command.hidden:
                continue
            text = command.get_short_help_str(200)
            if name in FIRST:
                first[name] = text
                continue
            panel = getattr(command, "rich_help_panel", None)
            groups.setdefault(panel if isinstance(panel, str) else "Commands", []).append((name, text))
        names = [*first, *(name for rows in groups.values() for name, _ in rows)]
        width = max(map(len, names), default=0)
        if first:
            formatter.write("In the order of the work:\n")
            for name in (name for name in FIRST if name in first):
                formatter.write(f"  {name:<{width}}  {first[name]}\n")
            formatter.write("More, by what it is for\n")
        for title, rows in groups.items():
            formatter.write(f"{title}:\n")
            for name, text in rows:
                formatter.write(f"  {name:<{width}}  {text}\n")


# Under which heading an option stands; all others are about what to look at.
OPTION_GROUPS = {
    "Which runs": (
        *("runs", "seed", "number", "played_by", "like", "variants", "variant", "settings", "script", "engine"),
        *("only_script", "level", "cluster", "most_runs"),
    ),
    "How sure": ("sure", "until", "yes", "states", "seconds"),
    "Where to": (
        *("output", "plot", "figure", "timeline", "store", "junit", "sarif", "write", "as_variant", "as_json"),
    ),
}
_TYPES = {"path": "FILE", "str": "TEXT", "int": "NUMBER", "float": "NUMBER", "int range": "NUMBER"}
_TYPE = re.compile(r"<(?:list\[)?(\w+(?: range)?)\]?>")


class PlainCommand(TyperCommand):
    """A command whose help says in plain words what it takes, with its options by what they are for."""

    def collect_usage_pieces(self, ctx: Any) -> list[str]:
        """Its options and arguments, as in `[OPTIONS] GAME [OTHER]`."""
        pieces = super().collect_usage_pieces(ctx)
        return [piece.replace("[[", "[").replace("]]", "]").replace("{", "").replace("}", "") for piece in pieces]

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """The arguments, then the options under their headings."""
        rows: dict[str, list[tuple[str, str]]] = {}
        for param in self.get_params(ctx):
            record = param.get_help_record(ctx)
            if record is None:
                continue
            long = [name for name in param.opts if name.startswith("--")]
            # Another name of an option is taken, not shown.
            first = record[0].replace("".join(f", {name}" for name in long[1:]), "") if len(long) > 1 else record[0]
            what = _TYPE.sub(lambda found: _TYPES.get(found[1].lower(), "TEXT"), first)
            if param.param_type_name != "option":
                # The name of an argument is enough.
                what = what.removesuffix(" FILE").removesuffix(" TEXT").removesuffix(" NUMBER")
            rows.setdefault(self._heading(param), []).append((what, record[1]))
        for heading in ("Arguments", "What to look at", *OPTION_GROUPS, "In all commands"):
            if heading in rows:
                with formatter.section(heading):
                    formatter.write_dl(rows[heading])

    def _heading(self, param: Any) -> str:
        if param.param_type_name != "option":
            return "Arguments"
        if param.name in ("quiet", "log_level", "help"):
            return "In all commands"
        return next((title for title, names in OPTION_GROUPS.items() if param.name in names), "What to look at")


def add_command(
    app: typer.Typer, function: Callable[..., None], group: str, short: str | None = None, name: str | None = None
) -> None:
    """Give a family a command of one group of its help."""
    app.command(name, cls=PlainCommand, rich_help_panel=group, short_help=short)(function)


def share_options(app: typer.Typer, within: str = "") -> None:
    """Give all commands that are to be built the options that each of them has."""
    for info in app.registered_commands:
        if info.callback is not None:
            name = info.name or info.callback.__name__.replace("_", "-")
            info.callback = _shared(info.callback, f"{within} {name}".strip())
    for group in app.registered_groups:
        if group.typer_instance is not None:
            share_options(group.typer_instance, f"{within} {group.name}".strip())


def only_names(app: typer.Typer) -> None:
    """Let all commands be known by their names and what they are for, without their options."""
    for info in app.registered_commands:
        if info.callback is not None:
            info.name = info.name or info.callback.__name__.replace("_", "-")
            info.short_help = info.short_help or inspect.getdoc(info.callback)
            info.callback = _nothing


def _nothing() -> None:
    """Stands for a command of which the name alone is told."""


def _shared(function: Callable[..., None], name: str) -> Callable[..., None]:
    """A command's function that knows `-q` and `--log-level` too, and keeps stdout for data where it is to."""

    @wraps(function)
    def call(context: typer.Context, *, log_level: str | None, quiet: bool, **given: Any) -> None:
        _refuse_ignored(name, context)
        _tell_streams_apart(given)
        asked(name, given, read_dials)
        with _engine(given.get("engine", "auto")):
            function(**given)

    signature = inspect.signature(function, eval_str=True)
    context = inspect.Parameter("context", inspect.Parameter.POSITIONAL_OR_KEYWORD, annotation=typer.Context)
    more = [
        inspect.Parameter("quiet", inspect.Parameter.KEYWORD_ONLY, default=False, annotation=QuietOption),
        inspect.Parameter("log_level", inspect.Parameter.KEYWORD_ONLY, default=None, annotation=LevelOption),
    ]
    parameters = [context, *signature.parameters.values(), *more]
    call.__signature__ = signature.replace(parameters=parameters)  # type: ignore[attr-defined]
    call.__annotations__ = {parameter.name: parameter.annotation for parameter in parameters}
    del call.__wrapped__
    return call


def _refuse_ignored(name: str, context: typer.Context) -> None:
    """Refuse options of the command line that would be ignored.

    Raises:
        BadRequest: there is one.
    """
    spelled = {
        str(param.name): max(param.opts, key=len) if param.param_type_name == "option" else str(param.name).upper()
        for param in context.command.params
    }
    sources = {one: context.get_parameter_source(one) for one in spelled}
    given = [one for one, source in sources.items() if source is not None and source.name == "COMMANDLINE"]
    for told in refuse_ignored(name, given, spelled):
        say(told, error=True)


def _engine(name: str) -> AbstractContextManager[None]:
    """All that is played meanwhile is played by the engine that `--engine` names."""
    if name == "auto":
        return nullcontext()
    from mint_ledger.studies.elsewhere import played_by

    return played_by(name)  # type: ignore[arg-type]


def _tell_streams_apart(given: Mapping[str, Any]) -> None:
    """Where data go to stdout, all else goes to stderr.

    Raises:
        BadRequest: two of them would go there.
    """
    to_stdout = [name for name, value in given.items() if value == STREAM and name not in INPUTS]
    if not to_stdout:
        return
    if given.get("as_json"):
        to_stdout.append("json")
    if len(to_stdout) > 1:
        raise BadRequest(f"{' and '.join(f'--{name}' for name in to_stdout)} cannot both go to stdout")
    give_stdout_to_data()


def quiet_asked(value: bool) -> None:
    """What `-q` does."""
    if value:
        be_quiet()


def log_level_asked(value: str | None) -> None:
    """What `--log-level` does.

    Raises:
        BadRequest: there is no such level.
    """
    if value is None:
        return
    if value not in LEVELS:
        from mint_ledger.errors import nearest

        raise BadRequest(f"--log-level wants {', '.join(LEVELS)}, not '{value}'{nearest(value, LEVELS)}")
    import logging

    class Neutral(logging.Formatter):
        def format(self, record: logging.LogRecord) -> str:
            return neutral(super().format(record))

    handler = logging.StreamHandler()
    handler.setFormatter(Neutral("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.basicConfig(level=logging.WARNING, handlers=[handler], force=True)
    logging.getLogger("mint_ledger").setLevel(value.upper())


QuietOption = Annotated[
    bool, typer.Option("-q", "--quiet", callback=quiet_asked, help="Only the answer: no progress, no hints.")
]
LevelOption = Annotated[
    str | None,
    typer.Option(
        "--log-level",
        metavar="LEVEL",
        callback=log_level_asked,
        help="Log what the program does: debug, info, warning.",
    ),
]
