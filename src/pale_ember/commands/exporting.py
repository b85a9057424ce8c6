"""The commands by which an effect leaves: hand-over, packed textures."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from pale_ember.arguments import DONE, FOUND
from pale_ember.commands.common import Refused, has_display, read, writable
from pale_ember.core.texture.formats import Format


def handover(asked: argparse.Namespace) -> int:
    from pale_ember.draw.runs import drawing_of
    from pale_ember.formats.disk import ForeignFiles, KeptOnDisk, write_folder
    from pale_ember.formats.handover.names import names_in
    from pale_ember.formats.handover.package import package_of
    from pale_ember.formats.handover.runtime import PackageError
    from pale_ember.formats.handover.textures import TextureOptions
    from pale_ember.machine import user_folders

    _folder_for(asked.out, asked.file)
    effect, shelf = read(asked.file)
    try:
        events = None if asked.events is None else names_in(asked.events)
        kept = KeptOnDisk(user_folders.cache() / "textures")
        options = TextureOptions(asked.textures, asked.shrink, asked.together, asked.ktx2)
        package = package_of(effect, shelf, options, kept, events, asked.vectors, drawing=drawing_of, tables=asked.tables)
        write_folder(asked.out, package.files, beside_others=asked.beside_others)
    except PackageError as error:
        raise Refused(str(error)) from None
    except ForeignFiles as found:
        instead = "choose another, or let them stay with --beside-others" if found.stays else "choose another"
        raise Refused(f"{asked.out}: expected no folder, an empty one or only a package, found {found.strerror}; {instead}") from None
    except OSError as error:
        raise Refused(f"{asked.out}: expected a place to write to, found {error.strerror}; choose another") from None
    for said in package.advice:
        print(f"pale: {said}", file=sys.stderr)
    size = sum(len(data) for data in package.files.values())
    print(f"{asked.out}: {len(package.files)} files, {size / 2**20:.1f} MB, at most {package.cost.most} particles")
    return DONE


def _folder_for(out: Path, source: Path) -> None:
    """Finds out before long work whether a folder can be made. Raises Refused."""
    if out.resolve() in (source.resolve(), *source.resolve().parents):
        raise Refused(f"{out}: expected a folder of its own, found one that holds the effect; choose another")
    if not out.is_dir():
        writable(out)


def read_either(path: Path):
    """(effect, shelf) of a document or of a package. Raises Refused."""
    from pale_ember.formats.handover.reading import is_package, read_package
    from pale_ember.formats.handover.runtime import PackageError
    from pale_ember.formats.shelf import Shelf

    if not is_package(path):
        return read(path)
    folder = path if path.is_dir() else path.parent
    try:
        return read_package(folder), Shelf(folder.resolve())
    except PackageError as error:
        raise Refused(f"{folder}: {error}") from None


def on_stage(effect, stage: str):
    """The effect on another's stage, on none, or for "" on its own. Raises Refused."""
    from msgspec.structs import replace

    from pale_ember.core.effect.model import Stage

    if not stage:
        return effect
    return replace(effect, stage=Stage() if stage == "none" else read(Path(stage))[0].stage)


def conform(asked: argparse.Namespace) -> int:
    """Plays the vectors of a package against a player, one line of JSON each way."""
    from pale_ember.commands.player_process import PlayerProcess
    from pale_ember.formats.files import read_regular
    from pale_ember.formats.handover.reading import MOST_BYTES
    from pale_ember.formats.handover.vectors import faults_of, question

    try:
        listed = json.loads(read_regular(asked.folder / "vectors.json", MOST_BYTES))
        whole = json.loads(read_regular(asked.folder / "effect.json", MOST_BYTES))
    except (OSError, ValueError, RecursionError):
        raise Refused(f"{asked.folder}: expected vectors.json, found none; hand the effect over with --vectors") from None
    chosen = [vector for vector in listed if isinstance(vector, dict) and asked.only in str(vector.get("name", ""))]
    if not chosen:
        raise Refused(f'--only: expected a word of a vector\'s name, found "{asked.only}"; run without it to see all')
    bad = 0
    with PlayerProcess(asked.player) as player:
        for vector in chosen:
            try:
                said = faults_of(vector, player.answer(question(vector, whole)))
            except ValueError as fault:
                said = [str(fault)]
            bad += bool(said)
            print(f"{vector['name']}: {said[0] if said else 'agrees'}" + (f" (and {len(said) - 1} more)" if len(said) > 1 else ""))
    print(f"{len(chosen) - bad} of {len(chosen)} agree")
    return FOUND if bad else DONE


def rehearse(asked: argparse.Namespace) -> int:
    from pale_ember.formats.handover.runtime import PackageError
    from pale_ember.rehearsal import run
    from pale_ember.rehearsal.wire import PORT

    if not asked.headless and not has_display():
        raise Refused("rehearse: expected a display, found none (DISPLAY is not set); use --headless")
    port = PORT if asked.port is None else asked.port
    try:
        return run.rehearse(asked.folder, port=port, seconds=asked.seconds, headless=asked.headless, sends_night=asked.night)
    except PackageError as error:
        raise Refused(str(error)) from None
    except OSError as error:
        raise Refused(f"rehearse: expected a free port {port}, found {error.strerror}; choose another with --port") from None


def textures(asked: argparse.Namespace) -> int:
    """Packs every picture of a folder; one that cannot be read does not stop the others."""
    folder, out = asked.folder, asked.out or asked.folder
    if not folder.is_dir():
        raise Refused(f"{folder}: expected a folder of pictures, found none; check the name")
    if out != folder and not out.is_dir():
        writable(out)
        out.mkdir()
    from pale_ember.formats.pictures import KINDS

    sources = sorted(path for path in folder.rglob("*") if path.suffix.lower() in KINDS and path.suffix.lower() != ".dds")
    if not sources:
        raise Refused(f"{folder}: expected pictures ({', '.join(KINDS)}), found none; choose another")
    tasks = [(source, out / source.relative_to(folder).with_suffix(".dds"), asked.kind) for source in sources]
    bad = 0
    for done, (source, said, ok) in enumerate(_all_of(tasks, asked.jobs), 1):
        print(f"{done} of {len(tasks)}: {source.relative_to(folder)}: {said}", file=sys.stdout if ok else sys.stderr, flush=True)
        bad += not ok
    return FOUND if bad else DONE


def _all_of(tasks: list[tuple[Path, Path, str]], jobs: int) -> Iterator[tuple[Path, str, bool]]:
    if jobs == 1:
        yield from map(_packed_file, tasks)
        return
    with ProcessPoolExecutor(jobs) as pool:
        yield from pool.map(_packed_file, tasks)


def _packed_file(task: tuple[Path, Path, str]) -> tuple[Path, str, bool]:
    """Packs one picture, unless that was done since it changed; what came of it, and whether it went well."""
    from pale_ember.core.texture.blocks import best_format
    from pale_ember.formats.disk import write_whole
    from pale_ember.formats.handover.textures import PictureUse, packed_texture
    from pale_ember.formats.pictures import PictureError, read_picture

    source, target, kind = task
    try:
        if target.exists() and target.stat().st_mtime_ns >= source.stat().st_mtime_ns and _is_of(target, kind):
            return source, "packed before", True
        pixels = read_picture(source)
        chosen: Format = best_format(pixels) if kind == "best" else kind  # type: ignore[assignment]
        data, decibels = packed_texture(pixels, chosen, PictureUse(), {})
        target.parent.mkdir(parents=True, exist_ok=True)
        write_whole(target, data)
    except PictureError as error:
        return source, str(error).partition(": ")[2], False
    except (OSError, MemoryError) as error:
        return source, f"could not be written ({getattr(error, 'strerror', None) or 'too little memory'})", False
    quality = f", {decibels:.1f} dB" if decibels is not None else ""
    return source, f"{chosen}, {len(data) / 1024:.0f} kB{quality}", True


def _is_of(target: Path, kind: str) -> bool:
    """Whether a DDS is of a format that is asked for."""
    from pale_ember.formats.dds import format_in

    with target.open("rb") as file:
        found = format_in(file.read(148))
    return found is not None and kind in ("best", found)
