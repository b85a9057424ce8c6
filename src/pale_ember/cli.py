"""The command line: the same work as the window's, and a contract for scripts.

Exit 0: done. 1: a problem was found. 2: bad usage or input; nothing was written. 3: an error that nobody foresaw. 130: stopped by Ctrl+C.
"""

from __future__ import annotations

import argparse
import hashlib
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from pale_ember import ASSETS, __version__
from pale_ember.arguments import BAD, DONE, FOUND, INTERRUPTED, UNFORESEEN, parser_of_all
from pale_ember.commands import baking, checking, comparing, exporting, matching, paging, painting
from pale_ember.commands.common import MEMORY_WORTH_TELLING, Refused, drawn, has_display, read, tell_faults, writable, write

LAUNCHER = "PALE_EMBER_LAUNCHER"
"""Where the launcher of a checkout tells its own place, so that the desktop can start it."""


def entry() -> int:
    """The command of an installed package: the kernels are compiled at its first use, where the launcher has not."""
    from pale_ember.machine import user_folders

    if not os.access(Path(__file__).parent, os.W_OK):
        os.environ.setdefault("NUMBA_CACHE_DIR", str(user_folders.cache() / "kernels"))
    # Read first: nobody who asks for help, or errs, waits for a compiler.
    asked = parser_of_all().parse_args()
    if asked.command is not None and asked.compiles:
        home = hashlib.sha256(__file__.encode()).hexdigest()[:12]
        _prepare(user_folders.cache() / f"prepared-{__version__}-{home}")
    return main()


def _prepare(stamp: Path) -> None:
    """Compiles the kernels, with progress, unless the stamp says that they are."""
    if stamp.exists():
        return
    from pale_ember.commands.kernel_warmup import kernels

    kernels(lambda what, n, of: print(f"Compiling kernels (once), {n} of {of}: {what}", file=sys.stderr, flush=True))
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.touch()


def main(arguments: list[str] | None = None) -> int:
    """Runs a command; gives its exit code."""
    parser = parser_of_all()
    asked = parser.parse_args(arguments)
    if asked.command is None:
        parser.print_help()
        return DONE
    try:
        return COMMANDS[asked.command](asked)
    except Refused as error:
        print(f"pale: {error}", file=sys.stderr)
        return BAD
    except KeyboardInterrupt:
        return INTERRUPTED
    except BrokenPipeError:
        sys.stdout = None
        return DONE
    except Exception as error:  # noqa: BLE001 - the last word
        from pale_ember.machine.error_log import unforeseen

        if getattr(error, "plain", False):
            print(f"pale: {error}", file=sys.stderr)
            return BAD

        print(f"pale: {unforeseen(error)}", file=sys.stderr)
        return UNFORESEEN


def _snap(asked: argparse.Namespace) -> int:
    writable(asked.out, asked.file)
    effect, shelf = read(asked.file)
    from pale_ember.core.effect.model import FIRST_VIEW
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.core.view import view_of
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.renderer import Shot
    from pale_ember.formats.pictures import png_bytes

    camera = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
    background = asked.background or effect.stage.background
    shot = Shot(stage=effect.stage, background=background, alpha=asked.alpha, shows=asked.shows)

    def draw() -> bytes:
        frame = Timeline(effect, shelf.mesh, shelf.density).frame(asked.at)
        with offscreen(shelf.get, shelf.mesh) as renderer:
            pixels = renderer.picture(frame, view_of(camera, *asked.size), shot, *asked.size)
            return png_bytes(pixels if background == "none" else pixels[..., :3].copy())

    write(asked.out, drawn(draw))
    tell_faults(shelf)
    return DONE


def _trace(asked: argparse.Namespace) -> int:
    writable(asked.out, asked.file)
    if asked.every is not None and asked.every <= 0:
        raise Refused("--every: expected more than 0 seconds, found 0; leave it out for every step")
    effect, shelf = exporting.read_either(asked.file)
    effect = exporting.on_stage(effect, asked.stage)
    from pale_ember.core.simulate.forecast import Forecast
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.formats.traces import AT_ONCE, ROW_BYTES, trace_bytes, trace_moments

    timeline = Timeline(effect, shelf.mesh, shelf.density)
    moments = trace_moments(asked.until, asked.every, effect.steps)
    known = Forecast(effect)
    most = AT_ONCE * len(moments) * ROW_BYTES * sum(known.peak(layer) for layer in effect.layers if layer.shown)
    most += sum(known.memory(layer) for layer in effect.layers)
    if most > MEMORY_WORTH_TELLING:
        print(f"pale: {asked.file.name}: the trace may take up to {most / 2**20:,.0f} MB of memory", file=sys.stderr)
    try:
        write(asked.out, trace_bytes(effect, (timeline.frame(moment) for moment in moments)))
    except MemoryError:
        raise Refused("trace: expected room for all moments, found too little memory; use --every or a shorter --until") from None
    tell_faults(shelf)
    return DONE


def _schema(asked: argparse.Namespace) -> int:
    from pale_ember.formats.document import document_schema

    print(json.dumps(document_schema(), indent=2, ensure_ascii=False))
    return DONE


def _bench(asked: argparse.Namespace) -> int:
    root = Path(__file__).resolve().parents[2]
    if not (root / "benchmarks" / "run.py").exists():
        raise Refused("bench: expected the folder benchmarks beside the source, found none; run it from a checkout")
    sys.path.insert(0, str(root))
    os.environ["PYTHONPATH"] = os.pathsep.join(filter(None, (str(root), os.environ.get("PYTHONPATH", ""))))
    from benchmarks.run import run_benchmarks

    if asked.json is not None:
        writable(asked.json)
    results = run_benchmarks(asked.only)
    if not results:
        raise Refused(f"--only: expected a word of a benchmark's name, found {asked.only!r}; run without it to see all")
    if asked.json is not None:
        write(asked.json, (json.dumps(results, indent=2) + "\n").encode())
    return DONE if all(row["holds"] for row in results) else FOUND


def _open(asked: argparse.Namespace) -> int:
    from pale_ember.core.effect.model import BEGUN

    effect = BEGUN if asked.file is None else read(asked.file)[0]
    if not has_display():
        raise Refused("open: expected a display, found none (DISPLAY is not set); use pale snap for a picture")
    from pale_ember import app

    return app.run(effect, None if asked.file is None else asked.file.resolve())


def _desktop_files() -> dict[str, bytes]:
    from pale_ember.machine import desktop, manual

    command = os.environ.get(LAUNCHER) or shutil.which(sys.argv[0]) or sys.argv[0]
    return desktop.files(str(Path(command).resolve()), manual.help_files(parser_of_all()))


def _install(asked: argparse.Namespace) -> int:
    from pale_ember.machine import desktop, user_folders

    home = (asked.home or user_folders.data_home()).resolve()
    for name, data in _desktop_files().items():
        path = home / name
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise Refused(f"{path.parent}: expected a folder to write to, found {error.strerror}; choose another") from None
        write(path, data)
        print(path)
    desktop.refresh(home)
    return DONE


def _remove(asked: argparse.Namespace) -> int:
    from pale_ember.machine import desktop, user_folders

    home = (asked.home or user_folders.data_home()).resolve()
    try:
        gone = desktop.remove(home, _desktop_files())
    except OSError as error:
        raise Refused(f"{error.filename}: expected the right to remove it, found {error.strerror}") from None
    desktop.refresh(home)
    print(f"{len(gone)} files removed from {home}")
    return DONE


def _test(asked: argparse.Namespace) -> int:
    runner = Path(__file__).parents[2] / "tests" / "run.py"
    if not runner.is_file():
        raise Refused("test: expected the tests beside the sources, found none; get the sources to run them")
    return subprocess.run([sys.executable, "-P", str(runner), *asked.names, "--only", asked.only, "--slowest", asked.slowest]).returncode


def _demo(asked: argparse.Namespace) -> int:
    from pale_ember.formats.document import load

    source = ASSETS / "demo" / "kiln-mouth.pale"
    if asked.screenshot is not None:
        writable(asked.screenshot)
        return _demo_picture(source, asked.screenshot, asked)
    if not has_display():
        print("There is no display here, so Pale Ember runs in a virtual one and saves a picture.")
        out = Path.cwd() if os.access(Path.cwd(), os.W_OK) else Path(tempfile.gettempdir())
        return _demo_picture(source, out / "pale-ember-demo.png", asked)
    from pale_ember import app

    effect, _ = load(source)
    return app.run(effect, None)


def _demo_picture(source: Path, out: Path, asked: argparse.Namespace) -> int:
    """The window on a virtual display of its own, so that its size is what was asked for anywhere."""
    from pale_ember.machine.display import NoDisplay, virtual_display

    display = None
    if shutil.which("Xvfb") is not None and "QT_QPA_PLATFORM" not in os.environ:
        try:
            display, name = virtual_display(*asked.size)
        except NoDisplay as error:
            raise Refused(str(error)) from None
        os.environ["DISPLAY"], os.environ["QT_QPA_PLATFORM"] = name, "xcb"
        os.environ.pop("WAYLAND_DISPLAY", None)
    else:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    try:
        from pale_ember import app
        from pale_ember.formats.document import load

        effect, _ = load(source)
        app.screenshot(effect, None, out, asked.size, asked.at)
    except (OSError, TimeoutError) as error:
        raise Refused(str(error)) from None
    finally:
        if display is not None:
            display.terminate()
            display.wait()
    print(out)
    return DONE


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "demo": _demo, "test": _test, "open": _open, "snap": _snap, "trace": _trace, "check": checking.check,
    "sheet": baking.sheet, "clip": baking.clip, "cache": baking.cache,
    "handover": exporting.handover,
    "texture": painting.texture, "textures": exporting.textures, "conform": exporting.conform, "rehearse": exporting.rehearse,
    "page": paging.page, "compare": matching.compare, "fit": matching.fit, "vary": matching.vary,
    "diff": comparing.diff, "merge": comparing.merge, "build": baking.build,
    "schema": _schema, "bench": _bench, "install-desktop": _install, "remove-desktop": _remove,
}  # fmt: skip
"""What each command does."""


if __name__ == "__main__":
    sys.exit(main())
