"""The command line: the same work as the window's, and a contract for scripts.

Exit 0: done. 1: a problem was found. 2: bad usage or input; nothing was written.
"""

from __future__ import annotations

import argparse
import json
import math
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, NoReturn

from pale_ember import ASSETS, __version__

DONE, FOUND, BAD = 0, 1, 2

WORTH_A_WORD = 512 * 2**20
"""Bytes a command says it may take before it takes them."""


class Refused(Exception):  # noqa: N818 - it is what happened
    """Bad usage or input, told in one sentence."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        self.exit(BAD, f"pale: {message}; see {self.prog} --help\n")


def _seconds(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or not 0 <= value <= 36000:
        raise argparse.ArgumentTypeError(f"expected seconds from 0 to 36000, found {text!r}")
    return value


def _size(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{1,5})x(\d{1,5})", text)
    width, height = (int(part) for part in match.groups()) if match else (0, 0)
    if not (1 <= width <= 8192 and 1 <= height <= 8192):
        raise argparse.ArgumentTypeError(f"expected WIDTHxHEIGHT up to 8192x8192, found {text!r}")
    return width, height


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="pale", description="Pale Ember: build and tune layered particle effects for games.")
    parser.add_argument("--version", action="version", version=f"Pale Ember {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)

    def command(name: str, text: str, run: Callable[[argparse.Namespace], int]) -> argparse.ArgumentParser:
        parser_for = commands.add_parser(name, help=text, description=text)
        parser_for.set_defaults(run=run)
        return parser_for

    demo = command("demo", "open the Workbench with the kiln mouth burning", _demo)
    demo.add_argument("--screenshot", type=Path, metavar="PNG", help="save a picture of the window instead, and leave")
    demo.add_argument("--size", type=_size, default=(1280, 800), metavar="WxH", help="window size (1280x800)")
    demo.add_argument("--at", type=_seconds, default=2.0, metavar="S", help="the moment in the picture (2)")
    test = command("test", "run all tests, on all cores", _test)
    test.add_argument("names", nargs="*", metavar="NAME", help="of modules, classes or tests")
    test.add_argument("--only", default="", metavar="WORD", help="only tests whose name has this word")
    test.add_argument("--slowest", default="0", metavar="N", help="tell what took longest")

    opened = command("open", "open an effect in the Workbench", _open)
    opened.add_argument("file", type=Path, metavar="FILE")

    snap = command("snap", "draw the stage at a moment into a PNG", _snap)
    snap.add_argument("file", type=Path, metavar="FILE")
    snap.add_argument("--at", type=_seconds, required=True, metavar="S", help="the moment, in seconds since the start")
    snap.add_argument("--out", type=Path, required=True, metavar="PNG")
    snap.add_argument("--size", type=_size, default=(960, 540), metavar="WxH", help="size of the picture (960x540)")
    snap.add_argument(
        "--background", choices=("dark", "mid", "light", "gradient", "checker", "picture", "none"),
        help="default: the document's; none leaves alpha",
    )  # fmt: skip
    snap.add_argument(
        "--shows", choices=("picture", "overdraw", "silhouette", "opacity", "wireframe", "red", "green", "blue"),
        default="picture", help="how it is looked at (picture)",
    )  # fmt: skip
    snap.add_argument(
        "--alpha", choices=("straight", "premultiplied"), default="straight", help="with --background none"
    )

    trace = command("trace", "write where every particle is, moment by moment, into an NPZ", _trace)
    trace.add_argument("file", type=Path, metavar="FILE")
    trace.add_argument("--until", type=_seconds, required=True, metavar="S", help="the last moment")
    trace.add_argument("--every", type=_seconds, metavar="S", help="seconds between moments; default every step")
    trace.add_argument("--out", type=Path, required=True, metavar="NPZ")

    sheet = command("sheet", "bake a sheet of frames into a PNG, and the JSON that explains it", _sheet)
    sheet.add_argument("file", type=Path, metavar="FILE")
    sheet.add_argument("--out", type=Path, required=True, metavar="PNG")
    sheet.add_argument("--frames", type=int, required=True, metavar="N")
    sheet.add_argument("--columns", type=int, required=True, metavar="C")
    sheet.add_argument("--cell", type=int, required=True, metavar="PX", help="width and height of one frame")
    sheet.add_argument("--from", dest="first", type=_seconds, default=0.0, metavar="S", help="default 0")
    sheet.add_argument(
        "--to", dest="last", type=_seconds, metavar="S", help="default: the end of the effect, or of one loop"
    )
    sheet.add_argument("--alpha", choices=("straight", "premultiplied"), default="straight")

    check = command("check", "say whether an effect is valid, or every problem, one line each", _check)
    check.add_argument("file", type=Path, metavar="FILE")
    command("schema", "print the JSON Schema of documents", _schema)

    bench = command("bench", "measure speed, as medians and ratios in one run", _bench)
    bench.add_argument("--json", type=Path, metavar="OUT", help="also write the results as JSON")
    bench.add_argument("--only", default="", metavar="WORD", help="only benchmarks whose name has this word")
    return parser


def main(arguments: list[str] | None = None) -> int:
    parser = _parser()
    asked = parser.parse_args(arguments)
    if asked.command is None:
        parser.print_help()
        return DONE
    try:
        return asked.run(asked)
    except Refused as error:
        print(f"pale: {error}", file=sys.stderr)
        return BAD
    except KeyboardInterrupt:
        return BAD
    except BrokenPipeError:
        sys.stdout = None  # type: ignore[assignment]
        return DONE


def _read(path: Path):
    """(effect, shelf of its pictures); notices go to stderr."""
    from pale_ember.formats.document import DocumentError, load
    from pale_ember.formats.shelf import Shelf

    try:
        effect, notices = load(path)
    except DocumentError as error:
        raise Refused(str(error)) from None
    for notice in notices:
        print(f"pale: {path.name}: {notice}", file=sys.stderr)
    return effect, Shelf(path.resolve().parent)


def _look_at_all(effect, shelf) -> None:
    """Reads every picture and mesh of one's own, so that the shelf knows which cannot be used."""
    from pale_ember.core.effect.files import meshes_of, pictures_of
    from pale_ember.core.geometry.mesh import SOLID, SOLIDS
    from pale_ember.core.texture.cards import CARDS, PREFIX

    for name in pictures_of(effect):
        if name.removeprefix(PREFIX) not in CARDS or not name.startswith(PREFIX):
            shelf.get(name)
    for name in meshes_of(effect):
        if name.removeprefix(SOLID) not in SOLIDS or not name.startswith(SOLID):
            shelf.mesh(name)


def _tell_faults(shelf) -> None:
    for fault in shelf.faults.values():
        print(f"pale: {fault}; a stand-in is shown", file=sys.stderr)


def _write(path: Path, data: bytes) -> None:
    from pale_ember.formats.disk import write_whole

    try:
        write_whole(path, data)
    except OSError as error:
        raise Refused(f"{path}: expected a place to write to, found {error.strerror}; choose another") from None


def _writable(path: Path, source: Path | None = None, kind: str = "") -> None:
    """Finds out before long work whether its result can be kept; never in the place of what it is made of, or of a file
    that is written beside it. Raises Refused."""
    if source is not None and path.resolve() == source.resolve():
        raise Refused(f"{path}: expected another place than the effect's own file; choose another")
    if kind and path.suffix.lower() != kind:
        raise Refused(
            f"{path}: expected a name that ends in {kind}, found {path.suffix or 'no ending'}; choose another"
        )
    folder = path.resolve().parent
    if path.is_dir() or not folder.is_dir() or not os.access(folder, os.W_OK):
        obstacle = (
            "a folder" if path.is_dir() else "no such folder" if not folder.is_dir() else "no right to write there"
        )
        raise Refused(f"{path}: expected a place to write to, found {obstacle}; choose another")


def _drawn(draw: Callable[[], Any]) -> Any:
    from pale_ember.draw.context import NoOpenGL

    try:
        return draw()
    except NoOpenGL as error:
        raise Refused(str(error)) from None
    except MemoryError:
        raise Refused("expected room for the picture, found too little memory; make it smaller") from None


def _snap(asked: argparse.Namespace) -> int:
    _writable(asked.out, asked.file)
    effect, shelf = _read(asked.file)
    from pale_ember.core.effect.model import FIRST_VIEW
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.renderer import Shot
    from pale_ember.draw.view import view_of
    from pale_ember.formats.pictures import png_bytes

    camera = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
    background = asked.background or effect.stage.background
    shot = Shot(stage=effect.stage, background=background, alpha=asked.alpha, shows=asked.shows)

    def draw() -> bytes:
        frame = Timeline(effect, shelf.mesh, shelf.density).frame(asked.at)
        with offscreen(shelf.get, shelf.mesh) as renderer:
            pixels = renderer.picture(frame, view_of(camera, *asked.size), shot, *asked.size)
            return png_bytes(pixels if background == "none" else pixels[..., :3].copy())

    _write(asked.out, _drawn(draw))
    _tell_faults(shelf)
    return DONE


def _trace(asked: argparse.Namespace) -> int:
    _writable(asked.out, asked.file)
    if asked.every is not None and asked.every <= 0:
        raise Refused("--every: expected more than 0 seconds, found 0; leave it out for every step")
    effect, shelf = _read(asked.file)
    from pale_ember.core.simulate.forecast import Forecast
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.formats.traces import AT_ONCE, ROW_BYTES, trace_bytes, trace_moments

    timeline = Timeline(effect, shelf.mesh, shelf.density)
    moments = trace_moments(asked.until, asked.every, effect.steps)
    known = Forecast(effect)
    most = AT_ONCE * len(moments) * ROW_BYTES * sum(known.peak(layer) for layer in effect.layers if layer.shown)
    most += sum(known.memory(layer) for layer in effect.layers)
    if most > WORTH_A_WORD:
        print(f"pale: {asked.file.name}: the trace may take up to {most / 2**20:,.0f} MB of memory", file=sys.stderr)
    try:
        _write(asked.out, trace_bytes(effect, (timeline.frame(moment) for moment in moments)))
    except MemoryError:
        raise Refused(
            "trace: expected room for all moments, found too little memory; use --every or a shorter --until"
        ) from None
    _tell_faults(shelf)
    return DONE


def _sheet(asked: argparse.Namespace) -> int:
    _writable(asked.out, asked.file, ".png")
    effect, shelf = _read(asked.file)
    from pale_ember.core.effect.model import FIRST_VIEW
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.core.texture.sheet import SheetPlan, seamless
    from pale_ember.draw.sheets import draw_sheet
    from pale_ember.draw.view import world_size
    from pale_ember.formats.pictures import png_bytes
    from pale_ember.formats.sheets import sheet_json

    last = effect.duration / effect.tempo if asked.last is None else asked.last
    plan = SheetPlan(asked.frames, asked.columns, asked.cell, asked.first, last, asked.alpha)
    fault = plan.fault()
    if fault:
        raise Refused(fault)
    effect = seamless(effect)
    camera = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
    sheet = _drawn(lambda: draw_sheet(Timeline(effect, shelf.mesh, shelf.density), camera, plan, shelf.get))
    _write(asked.out, png_bytes(sheet.pixels))
    _write(asked.out.with_suffix(".json"), sheet_json(effect, plan, asked.out.name, world_size(camera)))
    _tell_faults(shelf)
    if sheet.clipped:
        said = f"{len(sheet.clipped)} of {plan.frames} frames are cut off at an edge"
        print(f"pale: {asked.out.name}: {said}", file=sys.stderr)
    return DONE


def _check(asked: argparse.Namespace) -> int:
    from pale_ember.core.insight.checks import checked
    from pale_ember.formats.document import DocumentError, load
    from pale_ember.formats.shelf import Shelf

    try:
        effect, notices = load(asked.file)
    except DocumentError as error:
        for problem in error.problems:
            print(f"{asked.file.name}: {problem}", file=sys.stderr)
        return BAD
    shelf = Shelf(asked.file.resolve().parent)
    _look_at_all(effect, shelf)
    for notice in (*notices, *checked(effect)):
        print(f"{asked.file.name}: notice: {notice}")
    for fault in shelf.faults.values():
        print(f"{asked.file.name}: {fault}")
    if shelf.faults:
        return FOUND
    print(f"{asked.file.name}: valid")
    return DONE


def _schema(asked: argparse.Namespace) -> int:
    from pale_ember.formats.document import document_schema

    print(json.dumps(document_schema(), indent=2, ensure_ascii=False))
    return DONE


def _bench(asked: argparse.Namespace) -> int:
    from pale_ember.bench.run import run_benchmarks

    if asked.json is not None:
        _writable(asked.json)
    results = run_benchmarks(asked.only)
    if not results:
        raise Refused(f"--only: expected a word of a benchmark's name, found {asked.only!r}; run without it to see all")
    if asked.json is not None:
        _write(asked.json, (json.dumps(results, indent=2) + "\n").encode())
    return DONE if all(row["holds"] for row in results) else FOUND


def _has_display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))


def _open(asked: argparse.Namespace) -> int:
    effect, _ = _read(asked.file)
    if not _has_display():
        raise Refused("open: expected a display, found none (DISPLAY is not set); use pale snap for a picture")
    from pale_ember import app

    return app.run(effect, asked.file.resolve())


def _test(asked: argparse.Namespace) -> int:
    runner = Path(__file__).parents[2] / "tests" / "run.py"
    if not runner.is_file():
        raise Refused("test: expected the tests beside the sources, found none; get the sources to run them")
    return subprocess.run(
        [sys.executable, str(runner), *asked.names, "--only", asked.only, "--slowest", asked.slowest]
    ).returncode


def _demo(asked: argparse.Namespace) -> int:
    from pale_ember.formats.document import load

    source = ASSETS / "demo" / "kiln-mouth.pale"
    if asked.screenshot is not None:
        _writable(asked.screenshot)
        return _demo_picture(source, asked.screenshot, asked)
    if not _has_display():
        print("There is no display here, so Pale Ember runs in a virtual one and saves a picture.")
        out = Path.cwd() if os.access(Path.cwd(), os.W_OK) else Path(tempfile.gettempdir())
        return _demo_picture(source, out / "pale-ember-demo.png", asked)
    from pale_ember import app

    effect, _ = load(source)
    return app.run(effect, None)


def _demo_picture(source: Path, out: Path, asked: argparse.Namespace) -> int:
    """The window on a virtual display of its own, so that its size is what was asked for anywhere."""
    from pale_ember.display import NoDisplay, virtual_display

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


if __name__ == "__main__":
    sys.exit(main())
