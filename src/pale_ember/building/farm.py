"""Building on many machines: the same work, sent to a Dask cluster. Each machine needs only Pale Ember."""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from pale_ember import __version__
from pale_ember.building.one_effect import BuildOrder, Built, Made, made, put
from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.insight.effect_cost import Budget
from pale_ember.core.preloading import extra
from pale_ember.formats.document import DocumentError, loads

_RETRIES = 3
"""How often work is done again where a worker died over it."""
_ANSWERS = 10.0
"""Seconds that a cluster may take to answer."""

EffectTask = tuple[str, str, dict[str, int]]
"""An effect's name, what it is built of, and its cost as it was."""


class ClusterGone(Exception):  # noqa: N818 - it is what happened
    """A cluster that cannot be reached, or no longer, in a sentence."""


class Bundle(msgspec.Struct, frozen=True):
    """All that a machine needs to build an effect. files : its document and what that uses, by their paths below the folder."""

    version: str
    name: str
    key: str
    before: dict[str, int]
    files: dict[str, bytes]
    target: str
    targets: dict[str, dict[str, Any]]


def bundle_of(order: BuildOrder, task: EffectTask) -> Bundle:
    """An effect of the folder with all that it uses."""
    name, key, before = task
    document = order.folder / f"{name}.pale"
    files: dict[str, bytes] = {}
    try:
        files[f"{name}.pale"] = document.read_bytes()
        effect, _ = loads(files[f"{name}.pale"], document)
        for used in {*files_of(effect), *meshes_of(effect)}:
            place = document.parent / used.partition("#")[0]
            if ":" not in used and place.is_file() and place.resolve().is_relative_to(order.folder.resolve()):
                files[place.relative_to(order.folder).as_posix()] = place.read_bytes()
    except (OSError, DocumentError):
        pass  # whoever builds it tells what is wrong
    targets = {known: {field: getattr(budget, field) for field in budget.__slots__} for known, budget in order.targets.items()}
    return Bundle(__version__, name, key, before, files, order.target, targets)


def made_there(sent: bytes) -> bytes:
    """Builds a bundle on whatever machine this is, away from all else; the Made it becomes. Both are MessagePack."""
    bundle = msgspec.msgpack.decode(sent, type=Bundle)
    if bundle.version != __version__:
        told = f"{bundle.name}: expected Pale Ember {bundle.version} on every machine, found {__version__}; install the same"
        return msgspec.msgpack.encode(Made(Built(bundle.name, bundle.key, told, before=bundle.before)))
    with tempfile.TemporaryDirectory() as kept:
        folder = Path(kept)
        for name, data in bundle.files.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(data)
        targets: Mapping[str, Budget] = {name: Budget(**figures) for name, figures in bundle.targets.items()}
        order = BuildOrder(folder, folder / "out", bundle.target, targets)
        return msgspec.msgpack.encode(made(order, bundle.name, bundle.key, bundle.before))


def on_cluster(address: str, order: BuildOrder, tasks: Sequence[EffectTask]) -> Iterator[Built]:
    """What comes of each effect, as it comes, written here. Raises ClusterGone, MissingExtra."""
    extra("distributed", "farm", "A build on other machines")
    from distributed import Client, as_completed

    for name in [each for each in logging.root.manager.loggerDict if each.startswith("distributed")]:
        logging.getLogger(name).setLevel(logging.CRITICAL)  # what goes wrong is told here, in a sentence
    try:
        client = Client(address, timeout=_ANSWERS, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as fault:
        raise ClusterGone(
            f"{address}: expected a Dask scheduler, found none ({_short(fault)}); start one, or check the address"
        ) from None
    left = {task[0]: task for task in tasks}
    named = {f"pale-ember {name} {key}": name for name, key, _ in tasks}
    try:
        futures = [
            client.submit(made_there, msgspec.msgpack.encode(bundle_of(order, left[name])), key=key, retries=_RETRIES)
            for key, name in named.items()
        ]
        for future in as_completed(futures, loop=client.loop):
            if future.status == "finished":
                told = msgspec.msgpack.decode(future.result(), type=Made)
                left.pop(told.built.name)
                yield put(order, told)
            elif client.status != "running" or future.status in ("cancelled", "lost"):
                break
            else:
                name, key, before = left.pop(named[future.key])
                yield Built(name, key, f"{name}: it failed on the cluster ({_short(future.exception())})", before=before)
    except OSError:
        pass
    finally:
        client.close(timeout=2)
    if left:
        raise ClusterGone(f"{address}: the cluster went away; {len(tasks) - len(left)} of {len(tasks)} are built, run it again to go on")


def _short(fault: BaseException | None) -> str:
    lines = str(fault).strip().splitlines()
    return lines[0][:120] if lines else type(fault).__name__
