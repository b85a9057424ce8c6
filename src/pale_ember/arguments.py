"""The one description of the command line: for the commands themselves, their help, the manual page and completion."""

from __future__ import annotations

import argparse
import math
import re
from pathlib import Path
from typing import NoReturn

from pale_ember import __version__
from pale_ember.core.reference import MATCHES
from pale_ember.core.texture.formats import FORMATS
from pale_ember.core.variation import KINDS

DONE, FOUND, BAD, UNFORESEEN, INTERRUPTED = 0, 1, 2, 3, 130
"""How a command ends: done, a problem found, bad usage or input, an error that nobody foresaw, stopped by Ctrl+C."""


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


def _jobs(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 64:
        raise argparse.ArgumentTypeError(f"expected a whole number from 1 to 64, found {text!r}")
    return int(text)


def _side(text: str) -> int:
    if not text.isdecimal() or not 4 <= int(text) <= 4096:
        raise argparse.ArgumentTypeError(f"expected 4 to 4096 pixels, found {text!r}")
    return int(text)


def _port(text: str) -> int:
    if not text.isdecimal() or not 0 <= int(text) <= 65535:
        raise argparse.ArgumentTypeError(f"expected a port from 0 to 65535, found {text!r}")
    return int(text)


def _size(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{1,5})x(\d{1,5})", text)
    width, height = (int(part) for part in match.groups()) if match else (0, 0)
    if not (1 <= width <= 8192 and 1 <= height <= 8192):
        raise argparse.ArgumentTypeError(f"expected WIDTHxHEIGHT up to 8192x8192, found {text!r}")
    return width, height


def _share(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not 0 <= value <= 1:
        raise argparse.ArgumentTypeError(f"expected a share from 0 to 1, found {text!r}")
    return value


def _many(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 1_000_000:
        raise argparse.ArgumentTypeError(f"expected a whole number from 1 to 1000000, found {text!r}")
    return int(text)


def _footage(command: argparse.ArgumentParser) -> None:
    """What footage does not say itself."""
    command.add_argument("--sheet", type=_size, default=(1, 1), metavar="WxH", help="how many frames lie side by side and in rows (1x1)")
    command.add_argument("--from", dest="first", type=_seconds, default=0.0, metavar="S", help="where in the footage it begins (0)")
    command.add_argument("--tempo", type=_factor, default=1.0, metavar="X", help="how fast the footage runs (1)")


def _factor(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not 0.01 <= value <= 100:
        raise argparse.ArgumentTypeError(f"expected a factor from 0.01 to 100, found {text!r}")
    return value


def parser_of_all() -> argparse.ArgumentParser:
    """The parser of the whole command line."""
    parser = _Parser(prog="pale", description="Pale Ember: build and tune layered particle effects for games.")
    parser.add_argument("--version", action="version", version=f"Pale Ember {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)

    def command(name: str, text: str, compiles: bool = False) -> argparse.ArgumentParser:
        """compiles : whether it needs the kernels, which an installed package compiles at their first use."""
        parser = commands.add_parser(name, help=text, description=text)
        parser.set_defaults(compiles=compiles)
        return parser

    demo = command("demo", "open the Workbench with the kiln mouth burning", compiles=True)
    demo.add_argument("--screenshot", type=Path, metavar="PNG", help="save a picture of the window instead, and leave")
    demo.add_argument("--size", type=_size, default=(1280, 800), metavar="WxH", help="window size (1280x800)")
    demo.add_argument("--at", type=_seconds, default=2.0, metavar="S", help="the moment in the picture (2)")
    test = command("test", "run all tests, on all cores")
    test.add_argument("names", nargs="*", metavar="NAME", help="of modules, classes or tests")
    test.add_argument("--only", default="", metavar="WORD", help="only tests whose name has this word")
    test.add_argument("--slowest", default="0", metavar="N", help="tell what took longest")

    opened = command("open", "open an effect in the Workbench", compiles=True)
    opened.add_argument("file", type=Path, nargs="?", metavar="FILE", help="without it a new effect begins")

    snap = command("snap", "draw the stage at a moment into a PNG", compiles=True)
    snap.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    snap.add_argument("--at", type=_seconds, required=True, metavar="S", help="the moment, in seconds since the start")
    snap.add_argument("--out", type=Path, required=True, metavar="PNG", help="where to write it")
    snap.add_argument("--size", type=_size, default=(960, 540), metavar="WxH", help="size of the picture (960x540)")
    snap.add_argument(
        "--background",
        choices=("dark", "mid", "light", "gradient", "checker", "picture", "none"),
        help="default: the document's; none leaves alpha",
    )
    snap.add_argument(
        "--shows",
        choices=("picture", "overdraw", "silhouette", "opacity", "wireframe", "red", "green", "blue"),
        default="picture",
        help="how it is looked at (picture)",
    )
    snap.add_argument("--alpha", choices=("straight", "premultiplied"), default="straight", help="with --background none")

    trace = command("trace", "write where every particle is, moment by moment, into an NPZ", compiles=True)
    trace.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document, or the folder of a package")
    trace.add_argument("--until", type=_seconds, required=True, metavar="S", help="the last moment, in seconds")
    trace.add_argument("--every", type=_seconds, metavar="S", help="seconds between moments; default every step")
    trace.add_argument("--out", type=Path, required=True, metavar="NPZ", help="where to write it")
    trace.add_argument("--stage", default="", metavar="FILE|none", help="another effect whose stage it plays on, or none at all")

    sheet = command("sheet", "bake a sheet of frames into a PNG, and the JSON that explains it", compiles=True)
    sheet.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    sheet.add_argument("--out", type=Path, required=True, metavar="FILE", help="where to write it: PNG, EXR or DDS")
    sheet.add_argument("--frames", type=int, required=True, metavar="N", help="how many")
    sheet.add_argument("--columns", type=int, default=0, metavar="C", help="side by side (what wastes least)")
    sheet.add_argument("--cell", type=int, required=True, metavar="PX", help="width and height of one frame")
    sheet.add_argument("--from", dest="first", type=_seconds, default=0.0, metavar="S", help="default 0")
    sheet.add_argument("--to", dest="last", type=_seconds, metavar="S", help="default: the end of the effect, or of one loop")
    sheet.add_argument(
        "--camera", default="", metavar="NAME", help="a view of the effect; without it the first, moved so that no frame is cut"
    )
    sheet.add_argument("--alpha", choices=("straight", "premultiplied"), default="straight", help="how colour and alpha are stored")

    handover = command("handover", "hand an effect over: the package that a game takes away", compiles=True)
    handover.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    handover.add_argument("--out", type=Path, required=True, metavar="DIR", help="the package's folder, made or replaced")
    handover.add_argument("--beside-others", action="store_true", help="also into a folder that holds other files; they stay")
    handover.add_argument(
        "--textures", choices=("best", "none", *FORMATS), default="best", help="how they are packed besides their PNG (best)"
    )
    handover.add_argument("--ktx2", action="store_true", help="put packed textures into KTX2 as well, beside their DDS")
    handover.add_argument("--shrink", action="store_true", help="make textures smaller that are far larger than they are seen")
    handover.add_argument("--together", action="store_true", help="lay pictures of which one channel is read together, four in one")
    handover.add_argument(
        "--events", type=Path, metavar="FILE", help="the names that the game knows, one a line or a JSON list; others are told"
    )

    handover.add_argument("--tables", action="store_true", help="tell curves and gradients as tables of 256 samples as well")
    handover.add_argument("--vectors", action="store_true", help="add test vectors and the air's eddies, to check a player with")

    page = command("page", "an effect, or all of a folder, as one file that a browser opens with no network")
    page.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document, or a folder of them")
    page.add_argument("--out", type=Path, required=True, metavar="PAGE", help="the page, an .html file")

    compare = command("compare", "how an effect differs from reference footage: light, colour, silhouette and rhythm", compiles=True)
    compare.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    compare.add_argument("reference", type=Path, metavar="REFERENCE", help="a picture, a sheet, a clip, or a folder of frames")
    compare.add_argument("--json", action="store_true", help="print numbers over time as well, as JSON")
    _footage(compare)

    fit = command("fit", "seek values with which an effect looks like reference footage", compiles=True)
    fit.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    fit.add_argument("reference", type=Path, metavar="REFERENCE", help="a picture, a sheet, a clip, or a folder of frames")
    fit.add_argument(
        "--free", required=True, nargs="+", metavar="PATH", help='what may change: "LAYER:FIELD", as sparks:birth.size; a * is any layer'
    )
    fit.add_argument("--match", nargs="+", choices=MATCHES, default=list(MATCHES), help="what is to be alike (all)")
    fit.add_argument("--trials", type=_many, default=400, metavar="N", help="how many are seen at most (400)")
    fit.add_argument("--out", type=Path, required=True, metavar="FILE", help="the effect found, a .pale document")
    _footage(fit)

    vary = command("vary", "variations of an effect, each unlike the others, with their pictures", compiles=True)
    vary.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    vary.add_argument("--out", type=Path, required=True, metavar="DIR", help="the folder they are written into")
    vary.add_argument("--count", type=_jobs, default=9, metavar="N", help="how many (9)")
    vary.add_argument("--far", type=_share, default=0.4, metavar="SHARE", help="how far they go, from 0 near to 1 wild (0.4)")
    vary.add_argument("--layer", nargs="+", default=[], metavar="NAME", help="only these layers; without it all that are shown")
    vary.add_argument("--kind", nargs="+", choices=KINDS, default=list(KINDS), help="what may change (all)")
    vary.add_argument("--seed", type=_many, default=1, metavar="N", help="another number gives others (1)")
    vary.add_argument("--at", type=_seconds, default=None, metavar="S", help="the moment in the pictures; without it half of its time")

    diff = command("diff", "what differs between two effects, in sentences")
    diff.add_argument(
        "files",
        type=Path,
        nargs="+",
        metavar="FILE",
        help="the one and the other, or the seven words that git tells a command that compares",
    )
    diff.add_argument("--json", action="store_true", help="print it as JSON")
    diff.add_argument("--html", type=Path, metavar="PAGE", help="write a page with both pictures side by side")

    merge = command("merge", "put together what two changed of one effect")
    for name, text in (("base", "the effect as both began with it"), ("mine", "as you changed it"), ("theirs", "as the other did")):
        merge.add_argument(name, type=Path, metavar=name.upper(), help=text)
    merge.add_argument("--out", type=Path, required=True, metavar="FILE", help="the effect put together; MINE may be meant")
    merge.add_argument("--choose", action="store_true", help="open the window to choose what both changed; 1 if it is not saved")

    build = command("build", "build a folder of effects: checks, packages, pictures and a report, only of what changed", compiles=True)
    build.add_argument("folder", type=Path, metavar="FOLDER", help="where the documents are, at any depth")
    build.add_argument("--out", type=Path, required=True, metavar="DIR", help="where packages, pictures, index.html and junit.xml go")
    build.add_argument("--jobs", type=_jobs, default=1, metavar="N", help="on how many cores (1)")
    build.add_argument("--on", default="", metavar="ADDRESS", help="send the work to a Dask cluster, as tcp://10.0.0.5:8786, instead")
    build.add_argument("--target", default="", metavar="NAME", help="what every effect must keep to, of targets.json or the usual ones")

    conform = command("conform", "check a game's player with the test vectors of a package", compiles=True)
    conform.add_argument("folder", type=Path, metavar="DIR", help="a package handed over with --vectors")
    conform.add_argument("--player", required=True, metavar="COMMAND", help="what starts the player; it speaks JSON lines")
    conform.add_argument("--only", default="", metavar="WORD", help="only vectors whose name has this word")

    rehearse = command("rehearse", "play packages in a small stand-in game that answers events on the loopback", compiles=True)
    rehearse.add_argument("folder", type=Path, metavar="DIR", help="a package, or a folder of packages")
    rehearse.add_argument("--headless", action="store_true", help="without a window; says what happens as JSON lines")
    rehearse.add_argument("--port", type=_port, default=None, metavar="N", help="where events come in; 0 for any (47110)")
    rehearse.add_argument("--seconds", type=_seconds, metavar="S", help="ends by itself after so long")
    rehearse.add_argument("--night", action="store_true", help="a simulated server sends a night at the quay")

    texture = command("texture", "paint a recipe or a card of the library, or write a picture in another format", compiles=True)
    texture.add_argument("source", metavar="SOURCE", help="effect.pale#recipe, library:card, or a picture's file")
    texture.add_argument("--out", type=Path, required=True, nargs="+", metavar="FILE", help="where to: .png, .tga, .webp, .exr, .dds")
    texture.add_argument("--size", type=_side, default=0, metavar="PX", help="of a frame, instead of the recipe's own")
    texture.add_argument(
        "--part", choices=("light", "motion", "normals", "depth"), default="", help="what a gas tells besides its picture"
    )
    texture.add_argument("--format", dest="kind", choices=("best", *FORMATS), default="best", help="of a DDS")

    textures = command("textures", "pack pictures as graphics cards read them")
    tasks = textures.add_subparsers(dest="task", metavar="TASK", parser_class=_Parser, required=True, help="what to do with them")
    compress = tasks.add_parser("compress", help="every picture of a folder into a DDS beside it, with all its sizes")
    compress.add_argument("folder", type=Path, metavar="DIR", help="the folder, with all below it")
    compress.add_argument("--format", dest="kind", choices=("best", *FORMATS), default="best", help="default: each its own")
    compress.add_argument("--jobs", type=_jobs, default=1, metavar="N", help="how many at once (1)")
    compress.add_argument("--out", type=Path, metavar="DIR", help="another folder for the results")

    sheet.add_argument("--fade", type=float, default=0.0, metavar="SHARE", help="fades the end into so much of the beginning")
    sheet.add_argument(
        "--keep", type=float, default=1.0, metavar="SHARE", help="how much of what is painted is in it; the rest runs out at its rim"
    )
    sheet.add_argument("--also", choices=("vectors", "normals"), nargs="*", default=(), help="how it moves, how it stands to light")

    clip = command("clip", "make a clip: animated PNG or WebP, MP4, WebM", compiles=True)
    clip.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    clip.add_argument("--out", type=Path, required=True, metavar="CLIP", help="where to write it: .png, .webp, .mp4, .webm")
    clip.add_argument("--fps", type=float, default=30.0, metavar="N", help="frames a second (30)")
    clip.add_argument("--size", type=_size, default=(480, 480), metavar="WxH", help="size of the picture (480x480)")
    clip.add_argument("--from", dest="first", type=_seconds, default=0.0, metavar="S", help="default 0")
    clip.add_argument("--to", dest="last", type=_seconds, metavar="S", help="default: the end of the effect, or of one loop")
    clip.add_argument("--background", choices=("dark", "mid", "light", "gradient", "checker", "none"), help="none leaves it clear")

    cache = command("cache", "write particles over time for other programs: USD, glTF, CSV", compiles=True)
    cache.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    cache.add_argument("--out", type=Path, required=True, metavar="CACHE", help="where: .usda, .usdc, .glb, .csv, .npz")
    cache.add_argument("--until", type=_seconds, metavar="S", help="default: the end of the effect, or of one loop")
    cache.add_argument("--every", type=_seconds, metavar="S", help="seconds between moments; default every step")

    check = command("check", "say whether an effect is valid, and what in it is likely not meant, one line each", compiles=True)
    check.add_argument("file", type=Path, metavar="FILE", help="the effect, a .pale document")
    check.add_argument("--json", type=Path, metavar="OUT", help="also write what is found to a file")
    check.add_argument(
        "--fix",
        "--mend",
        action="append",
        default=[],
        metavar="NAME",
        help="apply a fix, by its name or by that of its rule, and save; may be given again; all applies the first of each",
    )
    check.add_argument("--all", action="store_true", help="also tell what the artist left as it is")
    check.add_argument(
        "--events", type=Path, metavar="FILE", help="the names that the game knows, one a line or a JSON list; others are told"
    )
    command("schema", "print the JSON Schema of documents")

    bench = command("bench", "measure speed, as medians and ratios in one run", compiles=True)
    bench.add_argument("--json", type=Path, metavar="OUT", help="also write the results as JSON")
    bench.add_argument("--only", default="", metavar="WORD", help="only benchmarks whose name has this word")

    for name, text in (
        ("install-desktop", "put Pale Ember into your desktop's menu, with its file type, icons and manual page"),
        ("remove-desktop", "take away what install-desktop put there"),
    ):
        desktop = command(name, text)
        desktop.add_argument("--home", type=Path, metavar="DIR", help="the data folder (XDG_DATA_HOME, or ~/.local/share)")
    return parser
