"""One effect of a folder: by what it is known to be as it was, and what is built of it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

import msgspec

from pale_ember import __version__
from pale_ember.building.baking import BakeRefused, baked_files
from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.checks.facts import GameFacts
from pale_ember.core.insight.effect_cost import Budget, over_budget, seconds_of
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer
from pale_ember.draw.small import as_first_seen
from pale_ember.folder.listing import SeenFinding
from pale_ember.folder.looking import findings_of, shelf_for
from pale_ember.formats.clips import ClipError
from pale_ember.formats.disk import ForeignFiles, KeptOnDisk, write_folder, write_whole
from pale_ember.formats.document import DocumentError, load
from pale_ember.formats.handover.package import package_of
from pale_ember.formats.handover.runtime import PackageError
from pale_ember.formats.pictures import png_bytes
from pale_ember.formats.shelf import Shelf
from pale_ember.machine import user_folders

_VERSION = "2"
"""Of how effects are built: what was built otherwise is built again."""
_SIZE = 320, 180


class Built(msgspec.Struct, frozen=True):
    """What came of an effect. name : its path below the folder, without ending. key : what it was built of. fault : why it could not be,
    in a sentence. over : what is too much for the target, in sentences. before : its cost as it was built the time before.
    baked : the files of its sheets and clips."""

    name: str
    key: str
    fault: str = ""
    findings: tuple[SeenFinding, ...] = ()
    over: tuple[str, ...] = ()
    cost: dict[str, int] = {}
    before: dict[str, int] = {}
    baked: tuple[str, ...] = ()

    def problems(self, allowed: frozenset[str]) -> list[str]:
        """What fails it: that it could not be built, grave findings of rules that are not allowed, and what is over its target."""
        grave = [f"{each.where}: {each.said}" for each in self.findings if each.grave and each.rule not in allowed]
        return [*([self.fault] if self.fault else []), *grave, *self.over]


@dataclass(frozen=True, slots=True)
class BuildOrder:
    """How effects are to be built. out : where to. target : the name of what they must keep to, if any. targets : by their names."""

    folder: Path
    out: Path
    target: str = ""
    targets: Mapping[str, Budget] = field(default_factory=dict)


class Made(msgspec.Struct, frozen=True):
    """What came of an effect, with all that is to be written: the files of its package, its picture, its sheets and clips."""

    built: Built
    package: dict[str, bytes] = {}
    picture: bytes = b""
    baked: dict[str, bytes] = {}


def package_place(order: BuildOrder, name: str) -> Path:
    """Where the package of an effect lies."""
    return order.out / "effects" / f"{name}.package"  # or an effect beside a folder of its name would lie around those in it


def picture_place(order: BuildOrder, name: str) -> Path:
    """Where its picture lies."""
    return order.out / "pictures" / f"{name}.png"


def bakes_place(order: BuildOrder, name: str) -> Path:
    """The folder of its sheets and clips."""
    return order.out / "bakes" / f"{name}.baked"


def key_of(order: BuildOrder, name: str) -> str:
    """What an effect is built of, as a number that tells it from all else: its document, its files, the target, and the program."""
    path = order.folder / f"{name}.pale"
    digest = hashlib.sha256(f"{_VERSION} {__version__} {order.target} {order.targets.get(order.target)}".encode())
    data = path.read_bytes() if path.is_file() else b""
    digest.update(data)
    try:
        effect, _ = load(path)
    except DocumentError:
        return digest.hexdigest()
    for file in sorted({*files_of(effect), *meshes_of(effect)}):
        place = path.parent / file.partition("#")[0]
        digest.update(file.encode())
        if ":" not in file and place.is_file():
            digest.update(hashlib.sha256(place.read_bytes()).digest())
    return digest.hexdigest()


def made(order: BuildOrder, name: str, key: str, before: dict[str, int]) -> Made:
    """Builds an effect, and writes nothing; whatever is wrong with it is told and stops nothing."""
    path = order.folder / f"{name}.pale"
    try:
        effect, _ = load(path)
        shelf = shelf_for(path, effect)
        package = package_of(effect, shelf, kept=KeptOnDisk(user_folders.cache() / "textures"))
        with offscreen(shelf.get, shelf.mesh) as renderer:
            timeline = Timeline(effect, shelf.mesh, shelf.density)
            game = GameFacts(order.targets) if order.targets else GameFacts()
            findings = findings_of(effect, timeline, shelf, renderer, game)
            picture = _picture(effect, shelf, renderer)
        baked = baked_files(effect, shelf, effect.bakes)
    except (DocumentError, PackageError, BakeRefused, ClipError) as fault:
        return Made(Built(name, key, str(fault).splitlines()[0], before=before))
    sizes = {known: int(told["memory"]) for known, told in package.textures.items()}
    cost = {
        "particles": package.cost.most,
        "textures": sum(sizes.values()),
        "layers": sum(layer.shown for layer in package.effect.layers),
        "bytes": sum(map(len, package.files.values())),
    }
    target = order.targets.get(order.target)
    over = () if target is None else tuple(over_budget(package.effect, package.cost, sizes, target))
    return Made(Built(name, key, "", findings, over, cost, before, tuple(baked)), package.files, picture, baked)


def put(order: BuildOrder, made: Made) -> Built:
    """Writes what was built of an effect, each file whole. Raises OSError."""
    told = made.built
    if told.fault:
        return told
    place, picture, bakes = package_place(order, told.name), picture_place(order, told.name), bakes_place(order, told.name)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        write_folder(place, made.package)
    except ForeignFiles as fault:
        return Built(told.name, told.key, f"{place}: expected only a package, found {fault.strerror}; move them", before=told.before)
    files = {picture: made.picture, **{bakes / file: data for file, data in made.baked.items()}}
    for path, data in files.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, data)
    return told


def built(order: BuildOrder, name: str, key: str, before: dict[str, int]) -> Built:
    """Builds an effect, and writes what came of it."""
    return put(order, made(order, name, key, before))


def _picture(effect: Effect, shelf: Shelf, renderer: Renderer) -> bytes:
    """A PNG of the effect in the middle of its time, from its first view."""
    frame = Timeline(effect, shelf.mesh, shelf.density).frame(0.5 * seconds_of(effect))
    return png_bytes(as_first_seen(renderer, frame, _SIZE))
