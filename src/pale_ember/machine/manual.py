"""The manual page and the shells' completion, made from the one description of the command line."""

from __future__ import annotations

import argparse

from pale_ember import RELEASED, __version__


def _plain(text: str) -> str:
    """A text as roff takes it."""
    return text.replace("\\", "\\\\").replace("-", "\\-").replace("\n.", "\n\\&.").replace("\n'", "\n\\&'")


def _options(parser: argparse.ArgumentParser) -> list[str]:
    lines = []
    for action in parser._actions:
        if isinstance(action, (argparse._SubParsersAction, argparse._HelpAction)):
            continue
        value = action.metavar or (action.dest.upper() if action.nargs != 0 else "")
        names = ", ".join(f"\\fB{_plain(name)}\\fR" for name in action.option_strings)
        shown = f"{names} \\fI{_plain(str(value))}\\fR".strip() if value else names
        told = (action.help or "").replace("%(default)s", str(action.default))
        choices = f" One of {', '.join(map(str, action.choices))}." if action.choices else ""
        lines += [".TP", shown or f"\\fI{_plain(action.dest)}\\fR", _plain(f"{told}{choices}".strip())]
    return lines


def commands_of(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    """The parsers of the commands, by name."""
    return next(dict(action.choices) for action in parser._actions if isinstance(action, argparse._SubParsersAction))


def manual_page(parser: argparse.ArgumentParser) -> bytes:
    """`pale.1`, in roff."""
    lines = [
        f'.TH PALE 1 "{RELEASED}" "Pale Ember {__version__}" "User commands"',
        ".SH NAME",
        "pale \\- build and tune layered particle effects for games",
        ".SH SYNOPSIS",
        "\\fBpale\\fR \\fICOMMAND\\fR [\\fIOPTIONS\\fR]",
        ".SH DESCRIPTION",
        _plain(parser.description or ""),
        "Exit code 0 is success, 1 a problem found, 2 bad usage or input (nothing was written), 3 an error that nobody foresaw, "
        "130 stopped by Ctrl+C.",
        ".SH OPTIONS",
        *_options(parser),
        ".SH COMMANDS",
    ]
    for name, command in commands_of(parser).items():
        told = command.description or ""
        lines += [f".SS pale {_plain(name)}", _plain(f"{told[:1].upper()}{told[1:]}."), *_options(command)]
    lines += [
        ".SH FILES",
        ".TP", "\\fI$XDG_CONFIG_HOME/pale\\-ember/\\fR", "Settings of the window.",
        ".TP", "\\fI$XDG_STATE_HOME/pale\\-ember/\\fR", "Work written aside, and the log, \\fIpale\\-ember.log\\fR.",
        ".TP", "\\fI$XDG_CACHE_HOME/pale\\-ember/\\fR", "What can be made again.",
    ]  # fmt: skip
    return ("\n".join(lines) + "\n").encode()


def help_files(parser: argparse.ArgumentParser) -> dict[str, bytes]:
    """Manual page and completion, by the path below the data folder."""
    import shtab

    return {
        "man/man1/pale.1": manual_page(parser),
        "bash-completion/completions/pale": shtab.complete(parser, "bash").encode(),
        "zsh/site-functions/_pale": shtab.complete(parser, "zsh").encode(),
    }
