"""What is measured of moving pictures: light, area, colour, silhouette and rhythm over time; and how two of them differ, in words."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.values import to_lab
from pale_ember.core.texture.light import luminance, to_linear

TOUCHED = 0.03
"""Coded light by which a pixel differs from the background where something is on it."""

Frames = Sequence[np.ndarray] | np.ndarray
Times = Sequence[float] | np.ndarray

_EDGE = 0.04
"""The share of a picture along its sides whose middle colour is taken for the background."""
_STILLS = 4
"""Pictures from which on what never moves is told from what does."""
_OVER = 0.05
"""The share of its strongest light below which a thing is over, or has not begun."""
_MARKS = 64
"""Moments at which two are compared."""


@dataclass(frozen=True, slots=True, eq=False)
class Measures:
    """Of moving pictures at moments: times (n,) s; length : of all, s. light : (n,) mean linear light that stands out from the
    background; less than 0 where it darkens. area : (n,) the share of the picture that is touched. colour : (n, 3) linear, of what stands
    out, by its light. box : (n, 4) left, right, low, high as shares of the picture, but for the outermost; no numbers for nothing."""

    times: np.ndarray
    light: np.ndarray
    area: np.ndarray
    colour: np.ndarray
    box: np.ndarray
    length: float

    @property
    def high(self) -> np.ndarray:
        """(n,) how high it reaches, as shares of the picture."""
        return self.box[:, 3] - self.box[:, 2]

    @property
    def wide(self) -> np.ndarray:
        """(n,) how wide it is."""
        return self.box[:, 1] - self.box[:, 0]

    def lasts(self) -> tuple[float, float]:
        """From when to when it is seen, s."""
        strength = np.abs(self.light)
        seen = np.flatnonzero(strength > _OVER * max(float(strength.max(initial=0.0)), 1e-9))
        return (float(self.times[seen[0]]), float(self.times[seen[-1]])) if len(seen) else (0.0, 0.0)

    def rhythm(self) -> tuple[float, float]:
        """How often a second its light comes and goes most strongly, and by how much, as a share of its mean."""
        if len(self.times) < 8:
            return 0.0, 0.0
        marks = np.linspace(self.times[0], self.times[-1], 4 * _MARKS)
        light = np.interp(marks, self.times, self.light)
        slow = np.polynomial.Polynomial.fit(marks, light, 3)(marks)
        rest = (light - slow) * np.hanning(len(light))
        strength = np.abs(np.fft.rfft(rest))
        often = np.fft.rfftfreq(len(rest), marks[1] - marks[0])
        usable = (often > 1.5 / max(marks[-1] - marks[0], 1e-6)) & (often < 0.5 * (len(self.times) - 1) / (marks[-1] - marks[0]))
        if not usable.any():
            return 0.0, 0.0
        mean = max(float(np.abs(light).mean()), 1e-9)
        return float(often[usable][strength[usable].argmax()]), float((light - slow).std() / mean)


def background_of(frames: Frames) -> np.ndarray:
    """(3,) coded, 0 to 1: the middle colour along the sides of pictures (h, w, 3 or 4) uint8."""
    rims = []
    for frame in frames[:: max(len(frames) // 12, 1)]:
        height, width = frame.shape[:2]
        edge = max(round(_EDGE * min(height, width)), 1)
        seen = over_black(frame)
        rims += [part.reshape(-1, 3) for part in (seen[:edge], seen[-edge:], seen[:, :edge], seen[:, -edge:])]
    return np.median(np.concatenate(rims), axis=0) / 255


def _moving(frames: Frames) -> np.ndarray:
    """(h, w) bool: which pixels change over time; of a few stills all."""
    if len(frames) < _STILLS:
        return np.ones(frames[0].shape[:2], bool)
    low, high = (over_black(frames[0]).astype(int) for _ in range(2))
    for frame in frames:
        seen = over_black(frame)
        np.minimum(low, seen, out=low)
        np.maximum(high, seen, out=high)
    return (high - low).max(axis=2) > TOUCHED * 255


def over_black(frame: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 of a picture with or without alpha, coded."""
    if frame.shape[2] == 3:
        return frame
    return np.round(frame[..., :3] * (frame[..., 3:] / 255.0)).astype(np.uint8)


def measured(frames: Frames, times: Times, length: float) -> Measures:
    """Measures of pictures (h, w, 3 or 4) uint8 at moments, s. What never moves is where it plays, not the thing itself."""
    ground, moves = background_of(frames), _moving(frames)
    count = len(frames)
    light, area, colour, box = np.zeros(count), np.zeros(count), np.zeros((count, 3)), np.full((count, 4), np.nan)
    for k, frame in enumerate(frames):
        codes = over_black(frame) / np.float32(255)
        apart = np.abs(codes - ground).max(axis=2)
        touched = (apart > TOUCHED) & moves
        more = to_linear(codes) - to_linear(ground)
        strength = np.where(touched, luminance(more), 0.0)
        light[k], area[k] = strength.mean(), touched.mean()
        weight = np.abs(strength)
        if weight.sum() > 0:
            colour[k] = (to_linear(codes) * weight[..., None]).sum(axis=(0, 1)) / weight.sum()
            box[k] = *_reach(weight.sum(axis=0)), *(1 - np.array(_reach(weight.sum(axis=1))))[::-1]
    return Measures(np.array(times, float), light, area, colour, box, length)


def _reach(weight: np.ndarray) -> tuple[float, float]:
    """From where to where almost all of a weight (n,) lies, as shares."""
    summed = np.cumsum(weight) / weight.sum()
    low, high = np.searchsorted(summed, [0.02, 0.98])
    return float(low) / len(weight), float(high + 1) / len(weight)


@dataclass(frozen=True, slots=True)
class Apart:
    """How far one thing is from the reference. what : its name. by : how far, 1 where it is plain. said : a clause about the effect."""

    what: str
    by: float
    said: str


def apart(ours: Measures, theirs: Measures) -> list[Apart]:
    """How an effect differs from its reference, what differs most first; nothing that would not be told."""
    found = [each(ours, theirs) for each in (_ends, _begins, _brightness, _moment, _colour, _area, _height, _width, _rhythm)]
    return sorted((each for each in found if each is not None and each.by >= 1), key=lambda each: -each.by)


def sentence(found: Sequence[Apart]) -> str:
    """What differs most, in a sentence."""
    if not found:
        return "Nothing is told apart."
    clauses = [each.said for each in found[:3]]
    told = clauses[0] if len(clauses) == 1 else f"{', '.join(clauses[:-1])}, and {clauses[-1]}"
    return f"Yours {told}."


def _times(ratio: float) -> str:
    """A factor as one says it."""
    for name, value in (
        ("a fifth", 0.2),
        ("a quarter", 0.25),
        ("a third", 1 / 3),
        ("half", 0.5),
        ("two thirds", 2 / 3),
        ("three quarters", 0.75),
    ):
        if abs(ratio / value - 1) < 0.09:
            return f"{name} as"
    return f"{ratio:.2g} times as"


def _ratio(ours: float, theirs: float, what: str, word: str, plain: float) -> Apart | None:
    if theirs <= 1e-6 or ours <= 1e-6:
        return None
    ratio = ours / theirs
    return Apart(what, abs(np.log(ratio)) / np.log(plain), f"is {_times(ratio)} {word}")


def _ends(ours: Measures, theirs: Measures) -> Apart | None:
    return _when(ours.lasts()[1], theirs.lasts()[1], "end", "ends", ours, theirs)


def _begins(ours: Measures, theirs: Measures) -> Apart | None:
    return _when(ours.lasts()[0], theirs.lasts()[0], "begin", "begins", ours, theirs)


def _when(our_time: float, their_time: float, what: str, verb: str, ours: Measures, theirs: Measures) -> Apart:
    plain = 0.08 * max(theirs.length, 0.2)
    word = "earlier" if our_time < their_time else "later"
    return Apart(what, abs(our_time - their_time) / plain, f"{verb} {abs(our_time - their_time):.2g} s {word}")


def _brightness(ours: Measures, theirs: Measures) -> Apart | None:
    return _ratio(float(np.abs(ours.light).mean()), float(np.abs(theirs.light).mean()), "brightness", "bright", 1.25)


def _moment(ours: Measures, theirs: Measures) -> Apart | None:
    """Where the two are farthest apart once both are as bright on the whole."""
    marks, one, other = _lined_up(ours, theirs, np.abs(ours.light), np.abs(theirs.light))
    one, other = (each / max(float(each.mean()), 1e-9) for each in (one, other))
    worst = int(np.abs(one - other).argmax())
    if min(one[worst], other[worst]) < 0.02:
        return None
    ratio = one[worst] / other[worst] * float(np.abs(ours.light).mean() / max(np.abs(theirs.light).mean(), 1e-9))
    return Apart("brightness over time", abs(one[worst] - other[worst]) / 0.5, f"is {_times(ratio)} bright at {marks[worst]:.2g} s")


def _lined_up(ours: Measures, theirs: Measures, one: np.ndarray, other: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Moments that both have, s, and what is measured (n,) of each there."""
    marks = np.linspace(0.0, min(ours.length, theirs.length), _MARKS)
    return marks, np.interp(marks, ours.times, one), np.interp(marks, theirs.times, other)


def hue_of(measures: Measures) -> np.ndarray:
    """(3,) lightness and two hues of all that is seen, as the eye sees it, weighed by light."""
    weight = np.abs(measures.light)
    colour = (measures.colour * weight[:, None]).sum(axis=0) / max(float(weight.sum()), 1e-9)
    return to_lab(colour[None] / max(float(colour.max()), 1e-9))[0]


def _colour(ours: Measures, theirs: Measures) -> Apart | None:
    one, other = hue_of(ours), hue_of(theirs)
    red, yellow = (one - other)[1:]
    full = float(np.hypot(*one[1:]) - np.hypot(*other[1:]))
    far = float(np.hypot(red, yellow))
    if abs(full) > 0.8 * far:
        word = "fuller in colour" if full > 0 else "paler"
        return Apart("colour", far / 0.03, f"is {word}")
    word = ("redder" if red > 0 else "greener") if abs(red) > abs(yellow) else ("more yellow" if yellow > 0 else "bluer")
    return Apart("colour", far / 0.03, f"is {word}")


def _area(ours: Measures, theirs: Measures) -> Apart | None:
    found = _ratio(float(ours.area.mean()), float(theirs.area.mean()), "area", "much", 1.3)
    return None if found is None else Apart(found.what, found.by, f"covers {found.said.removeprefix('is ')}")


def _mean(values: np.ndarray) -> float:
    seen = values[np.isfinite(values)]
    return float(seen.mean()) if len(seen) else 0.0


def _height(ours: Measures, theirs: Measures) -> Apart | None:
    return _ratio(_mean(ours.high), _mean(theirs.high), "height", "high", 1.15)


def _width(ours: Measures, theirs: Measures) -> Apart | None:
    return _ratio(_mean(ours.wide), _mean(theirs.wide), "width", "wide", 1.15)


def _rhythm(ours: Measures, theirs: Measures) -> Apart | None:
    (often, strong), (their_often, their_strong) = ours.rhythm(), theirs.rhythm()
    if max(strong, their_strong) < 0.03:
        return None
    if min(strong, their_strong) < 0.03 or abs(np.log(strong / their_strong)) > np.log(1.8):
        more = "flickers more" if strong > their_strong else "flickers less"
        return Apart("rhythm", abs(strong - their_strong) / 0.08, more)
    if not often or not their_often:
        return None
    return Apart(
        "rhythm", abs(np.log(often / their_often)) / np.log(1.5), f"flickers {_often(often)} a second, not {_often(their_often)}"
    )


def _often(times: float) -> str:
    told = f"{times:.2g}"
    return "once" if told == "1" else f"{told} times"


Row = tuple[str, Callable[[Measures], np.ndarray]]
ROWS: tuple[Row, ...] = (
    ("brightness", lambda each: np.abs(each.light)),
    ("area", lambda each: each.area),
    ("height", lambda each: np.nan_to_num(each.high)),
    ("width", lambda each: np.nan_to_num(each.wide)),
)
"""What is drawn over time, by name."""
