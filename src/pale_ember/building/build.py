"""Building a folder: what changed is built, on several cores, and what was done stays done when it is stopped."""

from __future__ import annotations

import fcntl
import hashlib
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from multiprocessing import get_context
from pathlib import Path

import msgspec

from pale_ember.building.farm import ClusterGone, EffectTask, on_cluster
from pale_ember.building.one_effect import BuildOrder, Built, bakes_place, built, key_of, package_place, picture_place
from pale_ember.building.report import junit, page
from pale_ember.core.preloading import MissingExtra
from pale_ember.folder.listing import effects_in
from pale_ember.formats.disk import remove_package, write_whole
from pale_ember.formats.game_folder import RULES


class BuildRefused(Exception):  # noqa: N818 - it is what happened
    """A build that cannot begin, told in one sentence."""


class _Rules(msgspec.Struct, forbid_unknown_fields=True):
    """{"allow": [names of checks that fail nothing]}."""

    allow: list[str] = []


def rules_of(folder: Path) -> frozenset[str]:
    """The names of checks that fail nothing in a folder. Raises BuildRefused."""
    path = folder / RULES
    try:
        return frozenset(msgspec.json.decode(path.read_bytes(), type=_Rules).allow) if path.is_file() else frozenset()
    except msgspec.MsgspecError as fault:
        raise BuildRefused(f'{path}: expected {{"allow": ["names of checks"]}}, found something else ({fault}); mend it') from None


@contextmanager
def _alone(out: Path) -> Iterator[None]:
    """Nobody else builds there meanwhile. Raises BuildRefused."""
    out.mkdir(parents=True, exist_ok=True)
    with (out / ".building").open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise BuildRefused(f"{out}: another build is at work there; wait for it, or choose another folder") from None
        yield


def _note(order: BuildOrder, name: str) -> Path:
    """Where it is kept what came of an effect."""
    return order.out / ".built" / f"{hashlib.sha256(name.encode()).hexdigest()[:24]}.json"


def _known(order: BuildOrder, name: str) -> Built | None:
    """What came of an effect the time before, where all of it is still there."""
    try:
        told = msgspec.json.decode(_note(order, name).read_bytes(), type=Built)
    except (OSError, msgspec.MsgspecError):
        return None
    files = (
        package_place(order, name) / "manifest.json",
        picture_place(order, name),
        *(bakes_place(order, name) / file for file in told.baked),
    )
    there = bool(told.fault) or all(file.is_file() for file in files)
    return told if told.name == name and there else None


def build(
    order: BuildOrder, jobs: int, tell: Callable[[int, int, str], None] = lambda done, of, name: None, on: str = ""
) -> tuple[list[Built], int]:
    """(what came of every effect, how many were built now). tell : (done, of all, name) after each. on : the address of a cluster that
    does the work instead. Raises BuildRefused; also where a cluster went away, when what is done has been written and reported."""
    allowed = rules_of(order.folder)
    with _alone(order.out):
        names = effects_in(order.folder, order.out)
        keys = {name: key_of(order, name) for name in names}
        before = {name: _known(order, name) for name in names}
        results = {name: known for name, known in before.items() if known is not None and known.key == keys[name]}
        waiting = [name for name in names if name not in results]

        def costs(name: str) -> dict[str, int]:
            known = before[name]
            return known.cost if known is not None else {}

        tasks = [(name, keys[name], costs(name)) for name in waiting]
        gone = ""
        for done, told in enumerate(_until_gone(on, order, tasks, jobs), 1):
            if isinstance(told, str):
                gone = told
                break
            results[told.name] = told
            _let_bakes_go(order, told.name, before[told.name], told.baked)
            _note(order, told.name).parent.mkdir(exist_ok=True)
            write_whole(_note(order, told.name), msgspec.json.encode(told))
            tell(done, len(waiting), told.name)
        _let_go(order, names)
        missing = {
            name: Built(name, keys[name], f"{name}: it was not built; {gone}", before=costs(name))
            for name in names
            if name not in results
        }
        ordered = [results.get(name) or missing[name] for name in names]
        title = order.folder.resolve().name
        write_whole(order.out / "index.html", page(title, ordered, allowed, len(waiting)))
        write_whole(order.out / "junit.xml", junit(title, ordered, allowed))
    if gone:
        raise BuildRefused(gone)
    return ordered, len(waiting)


def _until_gone(on: str, order: BuildOrder, tasks: list[EffectTask], jobs: int) -> Iterator[Built | str]:
    """What comes of each; at last why no more does, where a cluster went away."""
    try:
        yield from on_cluster(on, order, tasks) if on and tasks else _work(order, tasks, jobs)
    except (ClusterGone, MissingExtra) as fault:
        yield str(fault)


def _work(order: BuildOrder, tasks: list[EffectTask], jobs: int) -> Iterator[Built]:
    """What comes of each, as it comes. Where a process ends by itself, those that are left are built one in a process each."""
    if jobs < 2 or len(tasks) < 2:
        for task in tasks:
            yield built(order, *task)
        return
    left = {task[0]: task for task in tasks}
    try:
        for told in _together(order, tasks, jobs):
            left.pop(told.name)
            yield told
    except BrokenProcessPool:
        for name, task in left.items():
            try:
                yield from _together(order, [task], 1)
            except BrokenProcessPool:
                yield Built(name, task[1], f"{name}: the process that built it ended", before=task[2])


def _together(order: BuildOrder, tasks: list[EffectTask], jobs: int) -> Iterator[Built]:
    with ProcessPoolExecutor(min(jobs, len(tasks)), mp_context=get_context("spawn")) as pool:
        futures = [pool.submit(built, order, *task) for task in tasks]
        try:
            for each in as_completed(futures):
                yield each.result()
        finally:
            for each in futures:
                each.cancel()


def _let_bakes_go(order: BuildOrder, name: str, before: Built | None, baked: Collection[str]) -> None:
    """Takes away sheets and clips that are baked no more."""
    place = bakes_place(order, name)
    for file in before.baked if before is not None else ():
        if file not in baked and Path(file).name == file:
            (place / file).unlink(missing_ok=True)
    if place.is_dir() and not any(place.iterdir()):
        place.rmdir()


def _let_go(order: BuildOrder, names: list[str]) -> None:
    """Takes away what was built of effects that are no more: what the build itself wrote, and nothing else."""
    for note in (order.out / ".built").glob("*.json"):
        try:
            known = msgspec.json.decode(note.read_bytes(), type=Built)
        except (OSError, msgspec.MsgspecError):
            continue
        gone = known.name
        if gone in names:
            continue
        if note == _note(order, gone) and ".." not in Path(gone).parts and not Path(gone).is_absolute():
            remove_package(package_place(order, gone))
            picture_place(order, gone).unlink(missing_ok=True)
            _let_bakes_go(order, gone, known, ())
            note.unlink(missing_ok=True)
