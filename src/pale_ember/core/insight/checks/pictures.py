"""Rules of pictures: blends that fight them, grids that cut them, sizes that waste."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, Mend, changing, setting
from pale_ember.core.texture.advice import PIXELS_PER_METRE, advise, guess_grid
from pale_ember.core.texture.library import PICTURES, PREFIX
from pale_ember.core.texture.light import to_coded

_EDGE = 0.15
"""Light or cover at a card's border that shows as a square, as a share of its brightest."""
_CUT = 0.2
"""How strong frames are at their rims where a grid cuts through what is painted."""
_NARROW = 10
"""Rows of a game's picture below which nobody sees how a card ends."""
_VEIL = 0.02
"""Light of a ground that is added everywhere and shows as a veil."""


def plain_card(layer: Layer) -> bool:
    """Whether a card shows its picture as it is."""
    surface = layer.look.surface
    still = surface.tile == (1.0, 1.0) and not any(surface.scroll) and not surface.second and not surface.warp
    return (
        layer.look.drawn_as == "sprite"
        and still
        and surface.channel == "all"
        and not surface.invert
        and not layer.look.dissolve.picture
        and layer.look.picture != ""
    )


def frames_of(pixels: np.ndarray, rows: int, columns: int) -> np.ndarray:
    """(f, h, w, 4) the frames of a picture."""
    height, width = pixels.shape[0] // rows, pixels.shape[1] // columns
    cells = pixels[: height * rows, : width * columns].reshape(rows, height, columns, width, 4)
    return cells.transpose(0, 2, 1, 3, 4).reshape(rows * columns, height, width, 4)


def _rim(values: np.ndarray) -> float:
    """How high the outermost pixels of frames (f, h, w) stand: the mean along the strongest side."""
    sides = values[:, 0], values[:, -1], values[:, :, 0], values[:, :, -1]
    return max(float(side.mean()) for side in sides)


def blend_fights_picture(known: Facts) -> Iterator[Finding]:
    """Square edges, a veil, or a dark halo."""
    for layer in known.shown:
        pixels = known.picture(layer.look.picture) if plain_card(layer) else None
        small = pixels is None or min(pixels.shape[:2]) < 4 * max(layer.look.rows, layer.look.columns)
        if pixels is None or small or _wrong_grid(known, layer):
            continue
        wide = [sizes.min(axis=1) for _, sizes, _ in known.seen(layer) if len(sizes)]
        if not wide or known.pixels(float(np.median(np.concatenate(wide)))) < _NARROW:
            continue
        look, blend = layer.look, layer.look.blend
        rim, veil, halo = known.of_picture(look.picture, _edges, look.rows, look.columns, blend)
        if blend != "cut-out" and rim > _EDGE:
            yield Finding(
                layer.id,
                ("look", "blend"),
                f"its picture is {rim:.0%} strong at its rim, so {blend} cards show as squares",
                _better(layer, pixels),
            )
        elif veil:
            yield Finding(
                layer.id,
                ("look", "blend"),
                "the dark of its picture is not black: every card adds a grey veil",
                _better(layer, pixels),
                grave=False,
            )
        elif halo:
            yield Finding(
                layer.id,
                ("look", "blend"),
                "its picture darkens where its alpha falls: cards get a dark halo",
                (setting("premultiplied", layer, ("look", "blend"), "premultiplied"),),
                grave=False,
            )


def _edges(pixels: np.ndarray, rows: int, columns: int, blend: str) -> tuple[float, bool, bool]:
    """How strong the frames of a picture are at their rims in a blend, as a share of their brightest; whether they add a veil; whether
    they get a dark halo."""
    cells = frames_of(pixels, rows, columns)
    cover = cells[..., 3]
    light = to_coded(cells[..., :3].max(axis=3)) * cover
    seen = light if blend in ("additive", "screen") else cover
    if blend == "multiply":
        seen = cover * (1 - to_coded(cells[..., :3].min(axis=3)))
    highest = max(float(seen.max()), 1e-3)
    rim = _rim(seen) / highest
    veil = blend in ("additive", "screen") and float(np.median(light)) / highest > _VEIL and rim > _VEIL
    return rim, veil, blend == "alpha" and _haloed(cells)


def _better(layer: Layer, pixels: np.ndarray) -> tuple[Mend, ...]:
    """What would suit a picture better, if anything is known to."""
    advice = advise(pixels)
    mends = []
    if advice.blend != layer.look.blend:
        mends.append(setting(f"{advice.blend}", layer, ("look", "blend"), advice.blend))
    if advice.invert or (advice.blend == "multiply" and layer.look.blend == "additive"):
        mends.append(setting("invert it", layer, ("look", "surface", "invert"), True))
    mends.append(setting("a soft dot instead", layer, ("look", "picture"), "library:soft dot"))
    if layer.look.columns * layer.look.rows > 1:
        mends[-1] = changing(
            "a soft dot instead",
            layer,
            lambda layer: replace(layer, look=replace(layer.look, picture="library:soft dot", columns=1, rows=1)),
        )
    return tuple(mends)


def _haloed(cells: np.ndarray) -> bool:
    """Whether colours of frames (f, h, w, 4) go dark with their cover."""
    cover, light = cells[..., 3], cells[..., :3].max(axis=3)
    core, edge = cover > 0.8, (cover > 0.05) & (cover < 0.4)
    if core.sum() < 20 or edge.sum() < 0.5 * core.sum():
        return False
    inner, outer = float(np.median(light[core])), float(np.median(light[edge]))
    multiplied = inner * float(np.median(cover[edge]))
    return outer < 0.45 * inner and abs(outer - multiplied) < 0.35 * multiplied


_COLOURED = 0.3
"""How far the channels of a picture are apart, on the mean, from which on it is no grey one."""


def grid_cuts_frames(known: Facts) -> Iterator[Finding]:
    """A sheet whose grid is not that of its frames."""
    for layer in known.shown:
        look = layer.look
        card = PICTURES.get(look.picture.removeprefix(PREFIX)) if look.picture.startswith(PREFIX) else None
        if card is not None and (card.columns, card.rows) == (look.columns, look.rows):
            continue
        pixels = known.picture(look.picture) if look.drawn_as == "sprite" else None
        said = _wrong_grid(known, layer) if pixels is not None else ""
        if said and pixels is not None:
            yield Finding(layer.id, ("look", "columns"), said, (_gridded(layer, guess_grid(pixels)),))


def _wrong_grid(known: Facts, layer: Layer) -> str:
    """What is wrong with the grid of a layer's sheet; "" where nothing is."""
    rows, columns, whole = layer.look.rows, layer.look.columns, known.size_of(layer.look.picture)
    if whole is not None and (whole[0] % rows or whole[1] % columns):
        return f"its {whole[1]} × {whole[0]} pixels cannot be cut into {columns} × {rows} even frames"
    if rows * columns == 1:
        return ""
    return known.of_picture(layer.look.picture, _cut_through, rows, columns)


def _cut_through(pixels: np.ndarray, rows: int, columns: int) -> str:
    """What a grid cuts through, where it does."""
    if min(pixels.shape[0] // rows, pixels.shape[1] // columns) < 4:
        return ""
    cells = frames_of(pixels, rows, columns)
    seen = to_coded(cells[..., :3].max(axis=3)) * cells[..., 3]
    if _rim(seen) / max(float(seen.max()), 1e-3) < _CUT:
        return ""
    guess = guess_grid(pixels)
    if guess == (columns, rows):
        return ""
    what = f"{guess[0]} × {guess[1]} frames" if guess != (1, 1) else "one picture"
    return f"a grid of {columns} × {rows} cuts through what is painted: it looks like {what}"


def _gridded(layer: Layer, grid: tuple[int, int]) -> Mend:
    name = f"{grid[0]} × {grid[1]} frames" if grid != (1, 1) else "a single picture"
    return changing(name, layer, lambda layer: replace(layer, look=replace(layer.look, columns=grid[0], rows=grid[1])))


def picture_size(known: Facts) -> Iterator[Finding]:
    """A picture far larger than it is ever seen, or so small that it is seen soft. Those of the library stay as they are."""
    for layer in known.shown:
        look = layer.look
        size = known.size_of(look.picture) if look.drawn_as == "sprite" and not look.picture.startswith("library:") else None
        cards = [sizes.max(axis=1) for _, sizes, _ in known.seen(layer) if len(sizes)]
        if size is None or not cards:
            continue
        frame, metres = size[1] // look.columns, float(np.percentile(np.concatenate(cards), 95))
        rows = min(known.pixels(metres), metres * PIXELS_PER_METRE)
        wanted = 1 << max(int(np.ceil(np.log2(max(rows, 8.0)))), 4)
        told = f"its frames are {frame} pixels wide, and seen {rows:.0f} pixels wide"
        if frame >= 4 * wanted:
            much = size[0] * size[1] * 4 / 3 * (1 - (wanted / frame) ** 2) / 2**20
            said = f"{told}: {wanted} would look the same and save {much:.1f} MB"
        elif frame * 6 < rows:
            said = f"{told}: it looks soft"
            wanted = min(wanted, 1024)
        else:
            continue
        yield Finding(layer.id, ("look", "picture"), said, _resized(known, look.picture, wanted), grave=False)


def _resized(known: Facts, name: str, wanted: int) -> tuple[Mend, ...]:
    """The mend that paints a recipe at another size; a file's is asked for at the hand-over."""
    told = name.removeprefix(RECIPE).split("#")[0]
    place = next((i for i, recipe in enumerate(known.effect.recipes) if recipe.name == told), None)
    if not name.startswith(RECIPE) or place is None:
        return ()
    return (Mend(f"paint it {wanted} pixels wide", lambda effect: with_value(effect, ("recipes", place, "size"), wanted)),)


def ramp_over_colours(known: Facts) -> Iterator[Finding]:
    """A ramp over a picture that has colours of its own."""
    for layer in known.shown:
        surface = layer.look.surface
        pixels = known.picture(layer.look.picture) if surface.ramp is not None and surface.channel == "all" else None
        if pixels is None:
            continue
        seen = pixels[pixels[..., 3] > 0.2][:, :3]
        peak = seen.max(axis=1) if len(seen) else np.zeros(0)
        if not len(seen) or float(np.mean((peak - seen.min(axis=1)) / np.maximum(peak, 1e-3))) < _COLOURED:
            continue
        said = "its picture has colours of its own, of which the ramp takes only how bright the brightest is"
        mends = (
            setting("its alpha alone", layer, ("look", "surface", "channel"), "alpha"),
            setting("no ramp", layer, ("look", "surface", "ramp"), None),
        )
        yield Finding(layer.id, ("look", "surface", "ramp"), said, mends, grave=False)


RULES = (ramp_over_colours, blend_fights_picture, grid_cuts_frames, picture_size)
