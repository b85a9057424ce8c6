"""A player written from docs/hand-over.md alone, in plain Python; it speaks the line protocol of `pale conform`."""

# fmt: off
import bisect
import json
import math
import sys

MASK = (1 << 64) - 1
S = 0x9E3779B97F4A7C15
LOOP = 0xFFFF00000000

# Vectors and turns
def add(a, b, k=1.0):
    return [x + k * y for x, y in zip(a, b)]
def times(a, k):
    return [x * k for x in a]
def dot(a, b):
    return sum(x * y for x, y in zip(a, b))
def cross(a, b):
    return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
def length(a):
    return math.sqrt(dot(a, a))
def turned(m, a):
    return [dot(row, a) for row in m]
def unit(a, otherwise=(0.0, 1.0, 0.0)):
    size = length(a)
    return times(a, 1 / size) if size > 1e-12 else list(otherwise)
def matrix(turn):
    x, y, z = (math.radians(part) for part in turn)
    cx, sx, cy, sy, cz, sz = math.cos(x), math.sin(x), math.cos(y), math.sin(y), math.cos(z), math.sin(z)
    return [[cy * cz + sy * sx * sz, -cy * sz + sy * sx * cz, sy * cx], [cx * sz, cx * cz, -sx],
            [-sy * cz + cy * sx * sz, sy * sz + cy * sx * cz, cy * cx]]

def upright(way):
    """The least rotation that turns Y to a way."""
    x, y, z = unit(way)
    if y < -1 + 1e-7:
        return [[1, 0, 0], [0, -1, 0], [0, 0, -1]]
    k = 1 / (1 + y)
    return [[1 - x * x * k, x, -x * z * k], [-x, y, -z], [-x * z * k, z, 1 - z * z * k]]

# Draws (2)
def mix(x):
    x = ((x ^ (x >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    x = ((x ^ (x >> 27)) * 0x94D049BB133111EB) & MASK
    return x ^ (x >> 31)
def draw(key, number, channel):
    return (mix(key ^ mix((number + channel * S) & MASK)) >> 40) / (1 << 24)
def join(a, b):
    return mix(a ^ mix((b + S) & MASK))
def ranged(value, share):
    if value["choices"]:
        return value["choices"][int(share * len(value["choices"]))]
    return value["low"] + (value["high"] - value["low"]) * share
def middle(value):
    return sum(value["choices"]) / len(value["choices"]) if value["choices"] else 0.5 * (value["low"] + value["high"])
def counted(value, share):
    if value["choices"]:
        return round(ranged(value, share))
    low, high = math.floor(value["low"] + 0.5), math.floor(value["high"] + 0.5)
    return low + math.floor(share * (high - low + 1))

# Curves and gradients (9)
def curve_at(keys, at):
    if len(keys) == 1:
        return keys[0]["value"]
    width = [b["at"] - a["at"] for a, b in zip(keys, keys[1:])]
    chord = [(b["value"] - a["value"]) / w for a, b, w in zip(keys, keys[1:], width)]
    at = min(max(at, keys[0]["at"]), keys[-1]["at"])
    i = min(max(bisect.bisect_right([key["at"] for key in keys], at) - 1, 0), len(width) - 1)
    def slope(k):
        if k in (0, len(keys) - 1) or chord[k - 1] * chord[k] <= 0:
            return 0.0
        left, right = 2 * width[k] + width[k - 1], width[k] + 2 * width[k - 1]
        return (left + right) / (left / chord[k - 1] + right / chord[k])
    ease, after = keys[i]["ease"], keys[i + 1]["ease"]
    t = (at - keys[i]["at"]) / width[i]
    if ease == "stepped" and t < 1:
        return keys[i]["value"]
    leave = chord[i] if ease == "straight" else keys[i]["slope"]["after"] if ease == "handles" else slope(i)
    arrive = chord[i] if after in ("straight", "stepped") else slope(i + 1)
    if after == "handles":
        arrive = keys[i + 1]["slope"]["before"]
    smooth = (1 + 2 * t) * (1 - t) ** 2 * keys[i]["value"] + t * (1 - t) ** 2 * width[i] * leave
    return smooth + t * t * (3 - 2 * t) * keys[i + 1]["value"] - t * t * (1 - t) * width[i] * arrive
def line_at(points, at):
    """Straight between points (place, value), held beyond them."""
    if at <= points[0][0]:
        return points[0][1]
    for (a, x), (b, y) in zip(points, points[1:]):
        if at <= b:
            return [p + (q - p) * (at - a) / (b - a) for p, q in zip(x, y)]
    return points[-1][1]
def gradient_at(stops, at):
    return line_at([(stop["at"], stop["colour"]) for stop in stops], at)

# Births (4, 5)
class Layer:
    def __init__(self, effect, told):
        self.effect, self.told = effect, told
        self.outlet, self.birth, self.life = told["outlet"], told["birth"], told["life"]
        self.key = mix(((effect["seed"] * S) & MASK) ^ mix((int(told["id"], 16) + S) & MASK))
        self.h = effect["tempo"] * told["tempo"] / effect["steps"]
        self.length = effect["duration"] * told["tempo"]
        self.mask = MASK & ~LOOP if effect["loop"] and effect["identical"] else MASK
        self.turn, self.scale, self.place = matrix(told["turn"]), told["scale"], told["place"]
        self.start = min(self.outlet["start"], self.length)
        left = self.length - self.start
        self.span = min(self.outlet["span"], left) if self.outlet["span"] > 0 else left
        self.living, self.asked = [], []
    def of(self, value, number, channel):
        """A number of a range for a particle."""
        if not value["choices"] and value["low"] == value["high"]:
            return value["low"]
        return ranged(value, draw(self.key, number & self.mask, channel))
    def flow(self):
        """What the rate's curve gives over the span: its samples, their sums, and the whole."""
        curve = self.outlet["rate_curve"]
        if curve is None:
            return None, None, self.span
        at = [self.span * i / 1024 for i in range(1025)]
        factor = [max(curve_at(curve["keys"], (self.start + t) / self.length), 0.0) for t in at]
        sums = [0.0]
        for i in range(1024):
            sums.append(sums[-1] + 0.5 * (factor[i] + factor[i + 1]) * (at[i + 1] - at[i]))
        return (at, factor), sums, sums[-1]
    def when(self, flow, amount):
        samples, sums, _ = flow
        if samples is None:
            return amount
        at, factor = samples
        i = min(max(bisect.bisect_right(sums, amount) - 1, 0), 1023)
        width, first, rise = at[i + 1] - at[i], factor[i], factor[i + 1] - factor[i]
        rest = max(amount - sums[i], 0.0) / width
        root = math.sqrt(max(first * first + 2 * rise * rest, 0.0))
        return at[i] + width * min(max(2 * rest / max(first + root, 1e-30), 0.0), 1.0)
    def rate_in(self, loop):
        rate = self.outlet["rate"]
        value = rate["low"]
        if rate["choices"] or rate["low"] != rate["high"]:
            number = (0 if self.effect["identical"] and self.effect["loop"] else loop & 0xFFFF) << 32
            value = ranged(rate, draw(self.key, number, 26))
        if self.outlet["rate_counts"] == "kept alive":
            value /= max(middle(self.birth["lifetime"]), 1e-3)
        return value
    def births(self, until):
        """(time, number) of all births by rate and burst up to a time, sorted."""
        first = -math.ceil(8 / self.length) if self.effect["warm"] else 0
        loops = range(first, math.floor(until / self.length) + 2) if self.effect["loop"] else range(1)
        same = self.effect["loop"] and self.effect["identical"]
        born = []
        waits = self.outlet["rate_counts"] == "seconds between"
        if waits:
            t, i = 0.0, 0
            while t < until:
                t += max(ranged(self.outlet["rate"], draw(self.key, i, 25)), 1e-4)
                if t < self.span:
                    born.append((self.start + t, i))
                i += 1
        flow = self.flow()
        for loop in () if waits else loops:
            rate = self.rate_in(loop)
            if rate <= 0:
                continue
            base = 0.0
            if not same:
                before = range(loop) if loop >= 0 else range(loop, 0)
                base = (1 if loop >= 0 else -1) * sum(self.rate_in(each) * flow[2] for each in before)
            k = lowest = math.ceil(base)
            while k < base + rate * flow[2] - 1e-9:
                at = loop * self.length + self.start + self.when(flow, (k - base) / rate)
                born.append((at, ((loop & 0xFFFF) << 32) + k - lowest))
                k += 1
        for burst in self.outlet["bursts"]:
            for loop in loops:
                for turn in range(burst["times"]):
                    if self.effect["loop"] and turn * burst["every"] >= self.length:
                        continue
                    number = ((burst["key"] + 1) << 48) + (turn << 21)
                    here = number + ((loop & 0xFFFF) << 32)
                    dice = number if same else here
                    if draw(self.key, dice, 27) < burst["chance"]:
                        at = loop * self.length + burst["first_at"] + turn * burst["every"]
                        born += [(at, here + i) for i in range(counted(burst["count"], draw(self.key, dice, 28)))]
        return sorted(each for each in born if each[0] <= until)
    def place_of(self, number):
        """Where a particle is born, and outward there, in the layer's own axes."""
        o = self.outlet
        a, b, c = (draw(self.key, number, channel) for channel in (1, 2, 3))
        if o["even"]:
            row, batch = number & 0xFFFFFFFF, number & ~0xFFFFFFFF & MASK
            a, b, c = ((draw(self.key, batch, ch) + mirrored(row, base)) % 1 for ch, base in ((32, 2), (2, 3), (3, 5)))
        at, normal = shape(o, a, b, c)
        x, y, z = o["stretch"]
        at = [at[0] * x, at[1] * y, at[2] * z]
        normal = unit([normal[0] * y * z, normal[1] * x * z, normal[2] * x * y])
        m = matrix(o["shape_turn"])
        return add(turned(m, at), o["offset"]), turned(m, normal), m
    def heading_of(self, number, at, normal):
        o = self.outlet
        a, b = draw(self.key, number, 4), draw(self.key, number, 5)
        if o["aim"] == "anywhere":
            return in_cap([0, 1, 0], -1.0, 1.0, a, b)
        axis = unit(o["axis"])
        if o["aim"] == "outward":
            axis = normal
        elif o["aim"] == "along surface":
            axis = unit(cross(axis, normal), (1, 0, 0))
        elif o["aim"] == "towards point":
            axis = unit(add(o["point"], at, -1))
        elif o["aim"] == "away from point":
            axis = unit(add(at, o["point"], -1))
        spread = math.cos(math.radians(self.of(o["spread"], number, 38)))
        way = in_cap(axis, spread, o["across"], a, b)
        if o["wander"] > 0:
            other = in_cap([0, 1, 0], -1.0, 1.0, draw(self.key, number, 15), draw(self.key, number, 16))
            way = unit(add(times(way, 1 - o["wander"]), other, o["wander"]), way)
        return way
    def newborn(self, born, number, place, turn, carried):
        own = number & self.mask
        at, normal, m = self.place_of(own)
        b = self.birth
        v = times(self.heading_of(own, at, normal), self.of(b["speed"], own, 7))
        v = add(v, normal, self.of(b["outward"], own, 17))
        v = add(v, [self.of(b["push"][axis], own, 19 + i) for i, axis in enumerate("xyz")])
        around = self.of(b["around"], own, 18)
        if around:
            up = [row[1] for row in m]
            v = add(v, unit(cross(up, add(at, self.outlet["offset"], -1)), (0, 0, 0)), around)
        x = add(times(turned(turn, at), self.scale), place)
        v = add(times(turned(turn, v), self.scale), carried)
        return Particle(born, number, self.of(b["lifetime"], own, 6), x, v)
class Particle:
    def __init__(self, born, number, life, x, v):
        self.born, self.number, self.life, self.x, self.v, self.whole = born, number, life, x, v, v
        self.touches, self.held = 0, False
def mirrored(row, base):
    total, share = 0.0, 1.0 / base
    while row:
        total += share * (row % base)
        row //= base
        share /= base
    return total
def in_cap(axis, spread, across, a, b):
    x, y, z = axis
    s = 1.0 if z >= 0 else -1.0
    p = -1.0 / (s + z)
    q = x * y * p
    u, w = [1 + s * x * x * p, s * q, -s * x], [q, s + y * y * p, -y]
    c = 1 - a * (1 - spread)
    sine, about = math.sqrt(max(0.0, 1 - c * c)), 2 * math.pi * b
    cb, sb = math.cos(about), math.sin(about)
    if across < 1:
        angle = math.acos(min(max(c, -1.0), 1.0))
        first, second = angle * cb, angle * sb * across
        angle = math.hypot(first, second)
        if angle < 1e-12:
            return list(axis)
        cb, sb, c, sine = first / angle, second / angle, math.cos(angle), math.sin(angle)
    return add(add(times(axis, c), u, sine * cb), w, sine * sb)
def shape(o, a, b, c):
    """A place on or in a shape, and outward there."""
    kind, R, L, k = o["shape"], o["radius"], o["length"], 1 - o["fill"]
    turn = math.radians(o["arc"]) * b
    ct, st = math.cos(turn), math.sin(turn)
    if kind == "line":
        return [(a - 0.5) * L, 0, 0], [0, 1, 0]
    if kind == "disc":
        r = R * math.sqrt(k * k + a * (1 - k * k))
        return [r * ct, 0, r * st], [ct, 0, st]
    if kind == "point":
        y = 2 * c - 1
        s = math.sqrt(max(0.0, 1 - y * y))
        return [0, 0, 0], [s * math.cos(2 * math.pi * b), y, s * math.sin(2 * math.pi * b)]
    if kind in ("sphere", "hemisphere"):
        if kind == "hemisphere" and o["faces"] == "all" and o["fill"] <= 0:
            if a < 1 / 3:
                r = R * math.sqrt(3 * a)
                return [r * ct, 0, r * st], [0, -1, 0]
            a = 1.5 * (a - 1 / 3)
        y = c if kind == "hemisphere" else 2 * c - 1
        s = math.sqrt(max(0.0, 1 - y * y))
        n = [s * ct, y, s * st]
        return times(n, R * (k**3 + a * (1 - k**3)) ** (1 / 3)), n
    if kind == "box":
        hx, hy, hz = (0.5 * part for part in o["extent"])
        u, v = 2 * b - 1, 2 * c - 1
        if o["faces"] == "top":
            return [u * hx, hy, v * hz], [0, 1, 0]
        t = o["fill"] * min(hx, hy, hz)
        slabs = [hy * hz, (hx - t) * hz, (hx - t) * (hy - t)]
        pick, axis = a * sum(slabs), 0
        while axis < 2 and pick >= slabs[axis]:
            pick -= slabs[axis]
            axis += 1
        q = pick / slabs[axis]
        side = -1 if q < 0.5 else 1
        deep = side * ((hx, hy, hz)[axis] - t * (2 * q % 1))
        at = ([deep, u * hy, v * hz], [u * (hx - t), deep, v * hz], [u * (hx - t), v * (hy - t), deep])[axis]
        return at, [side if i == axis else 0 for i in range(3)]
    if kind == "cone":
        g = math.tan(math.radians(o["opening"]))
        top, side = R + L * g, o["faces"] == "side"
        power = 2 if side or o["fill"] <= 0 else 3
        rise = ((R**power + c * (top**power - R**power)) ** (1 / power) - R) / g if top - R > 1e-6 * top else c * L
        q = 1.0 if side else math.sqrt(k * k + a * (1 - k * k))
        r = q * (R + rise * g)
        return [r * ct, rise, r * st], unit([q * g * ct, 1, q * g * st])
    if kind == "cylinder":
        t = o["fill"] * min(R, L / 2)
        wall = (2 * R - t) * (L - 2 * t)
        pick = a * (2 * R * R + wall)
        if pick < wall:
            inner = R - t
            r = math.sqrt(inner * inner + pick / wall * (R * R - inner * inner))
            return [r * ct, t + c * (L - 2 * t), r * st], [ct, 0, st]
        q = min((pick - wall) / (2 * R * R), 1.0)
        above, q = q >= 0.5, 2 * q % 1
        r = R * math.sqrt(q)
        return [r * ct, L - t * c if above else t * c, r * st], [0, 1 if above else -1, 0]
    if kind == "torus":
        tube = o["tube"] * math.sqrt(k * k + a * (1 - k * k))
        share, q = min(tube / R, 1.0), 2 * math.pi * c
        for _ in range(60):
            q -= (q + share * math.sin(q) - 2 * math.pi * c) / max(1 + share * math.cos(q), 0.05)
        r = R + tube * math.cos(q)
        return [r * ct, tube * math.sin(q), r * st], [math.cos(q) * ct, math.sin(q), math.cos(q) * st]
    raise ValueError(kind)

# A step (6, 7)
def parts(drag, h):
    kh = drag * h
    if kh < 1e-3:
        b = h * (1 - kh * (0.5 - kh / 6))
        return 1 - drag * b, b, h * h * (0.5 - kh * (1 / 6 - kh / 24))
    a = math.exp(-drag * h)
    b = (1 - a) / drag
    return a, b, (h - b) / drag
def lane_at(layer, lane, number, age, speed, clock):
    low, high = (0.0, 1.0) if lane["over"] == "age" else (lane["low"], lane["high"])
    at = {"age": age, "speed": speed, "effect time": clock}[lane["over"]]
    place = min(max((at - low) / (high - low), 0.0), 1.0)
    return banded(layer, lane["curve"], lane["key"], number, place)
def banded(layer, curve, key, number, place):
    value = curve_at(curve["keys"], place)
    band = line_at([(each["at"], [each["band"]]) for each in curve["keys"]], place)[0]
    if band:
        value += (2 * draw(layer.key, number & layer.mask, (2 << 20) + key) - 1) * band
    return value
def move(layer, p, start, h, ground):
    """Carries a particle over a time; gives (time, normal, impact, velocity after) of a touch that counts, and whether it ended."""
    if p.held:
        return None, False
    f, own = layer.told["forces"], p.number & layer.mask
    age = (start + 0.5 * h - p.born) / max(p.life, 1e-9)
    g, air, drag, factor, extra = list(f["gravity"]), list(f["wind"]), f["drag"], 1.0, [0.0, 0.0, 0.0]
    x, v, circling = p.x, p.v, [each for each in f["more"] if each["on"] and each["kind"] == "circling"]
    clock = (start + h) / layer.told["tempo"]
    if layer.life["speed"] is not None:
        factor *= curve_at(layer.life["speed"]["keys"], age)
    for lane in layer.life["more"]:
        if lane["drives"] in ("velocity x", "velocity y", "velocity z"):
            extra["xyz".index(lane["drives"][-1])] += lane_at(layer, lane, own, age, length(p.whole), clock)
    for force in circling:
        x, v, _ = circled(layer, force, own, x, x, v, 0.5 * h)
    m, fastest, slows = add(x, v, 0.5 * h), None, 0.0
    t = math.floor(start / layer.h + 1e-9) * layer.h + 0.5 * layer.h
    size = layer.scale
    for force in f["more"]:
        if not force["on"] or not within(layer, force, m):
            continue
        s = layer.of(force["strength"], own, (1 << 20) + force["key"])
        axis = turned(layer.turn, unit(force["axis"])) if "axis" in force else None
        kind = force["kind"]
        d = add(m, add(times(turned(layer.turn, force["place"]), size), layer.place), -1) if "place" in force else None
        if kind == "push":
            g = add(g, axis, s)
        elif kind == "thrust":
            speed = length(v)
            if speed > 1e-6:
                g = add(g, v, max(s, -speed / max(h, 1e-6)) / speed)
        elif kind == "gust":
            place = t / force["period"]
            i, q = math.floor(place), place - math.floor(place)
            one, two = (draw(layer.key, (i + k) & 0xFFFFFFFF, (1 << 20) + force["key"]) for k in (0, 1))
            noise = one + (two - one) * q * q * (3 - 2 * q)
            air = add(air, axis, s * (1 + force["gustiness"] * (2 * noise - 1)))
        elif kind == "brake":
            drag, slows = drag + max(s, 0.0), slows + force["quadratic"]
        elif kind == "speed limit":
            fastest = max(s, 0.0)
        elif kind == "vortex":
            d = add(d, axis, -dot(axis, d))
            core = max(length(d), force["radius"])
            g = add(add(g, cross(axis, d), s / core), d, -force["pull"] / core)
        elif kind == "radial":
            around = cross(axis, d)
            g = add(add(g, d, s / max(length(d), 1e-3)), around, force["around"] / max(length(around), 1e-3))
        elif kind == "attractor":
            near = max(length(d), 0.05 * force["radius"])
            g = add(g, d, -s * (force["radius"] / near) ** force["falloff"] / near)
    if slows:
        speed = length(add(v, air, -1))
        a, b, _ = parts(drag + slows * speed, 0.5 * h)
        drag += slows * length(add(times(add(v, air, -1), a), g, b))
    def arc(x, v, g, air, drag, t):
        a, b, c = parts(drag, t)
        to = [q + factor * (w * b + u * (t - b) + k * c) + e * t for q, w, u, k, e in zip(x, v, air, g, extra)]
        return to, [w * a + u * (1 - a) + k * b for w, u, k in zip(v, air, g)]
    contact, touch, ended, begun, halfway = layer.told["contact"], None, False, p.x, arc(x, v, g, air, drag, h)[0]
    if circling and h:
        # The second half of the turn, as a velocity that adds to the way.
        to = halfway
        for force in circling:
            to = circled(layer, force, own, halfway, to, v, 0.5 * h)[0]
        extra = add(extra, add(add(to, begun, -1), add(halfway, x, -1), -1), 1 / h)
        x = begun
    if not ground or contact["meets"] == "pass":
        x, v = arc(x, v, g, air, drag, h)
    else:
        x, v, touch, ended = meet(layer, p, contact, arc, x, v, g, air, drag, factor, start, h)
    if fastest is not None and length(v) > fastest:
        v = times(v, fastest / length(v))
    for force in circling if not p.held else ():
        v = circled(layer, force, own, halfway, x, v, 0.5 * h)[1]
    p.x, p.v = x, v
    p.whole = whole_of(layer, p, clock, (start + h - p.born) / max(p.life, 1e-9))
    return touch, ended
def within(layer, force, m):
    if force["region"] == "everywhere":
        return True
    away = add(m, add(times(turned(layer.turn, force["region_place"]), layer.scale), layer.place), -1)
    inside = turned(list(zip(*layer.turn)), away)
    boxed = [q / (0.5 * layer.scale * part) for q, part in zip(inside, force["region_size"])]
    return (dot(boxed, boxed) <= 1) if force["region"] == "in a sphere" else max(map(abs, boxed)) <= 1
def circled(layer, force, own, at, x, v, h):
    """A place and a velocity turned for a time by a force that works at a place, and its turn a second."""
    s = layer.of(force["strength"], own, (1 << 20) + force["key"]) if within(layer, force, at) else 0.0
    axis, angle = turned(layer.turn, unit(force["axis"])), 2 * math.pi * s * h
    d = add(x, add(times(turned(layer.turn, force["place"]), layer.scale), layer.place), -1)
    place, way = (add(times(cross(axis, thing), math.sin(angle)), add(thing, axis, -dot(axis, thing)), math.cos(angle) - 1)
                  for thing in (d, v))
    return add(x, place), add(v, way), times(cross(axis, d), 2 * math.pi * s)
def whole_of(layer, p, clock, age):
    """All that moves a particle: its own velocity, lanes on it, and circling where it is."""
    own, whole = p.number & layer.mask, p.v
    for lane in layer.life["more"]:
        if lane["drives"] in ("velocity x", "velocity y", "velocity z"):
            whole = add(whole, [lane["drives"][-1] == axis for axis in "xyz"], lane_at(layer, lane, own, age, length(p.whole), clock))
    for force in layer.told["forces"]["more"]:
        if force["on"] and force["kind"] == "circling" and not p.held:
            whole = add(whole, circled(layer, force, own, p.x, p.x, p.v, 0.0)[2])
    return whole
def meet(layer, p, contact, arc, x, v, g, air, drag, factor, start, h):
    """The rest of a step over the plane y = 0."""
    radius = contact["radius"] if contact["radius"] is not None else 0.5 * abs(middle(layer.birth["size"])) * layer.scale
    touch, rubbed, gone, step = None, False, 0.0, layer.h
    near = 1e-4 + radius
    for _ in range(6):
        to, after = arc(x, v, g, air, drag, h)
        before, then = x[1] - radius, to[1] - radius
        if before < -near or then >= 0 or then >= before:
            return to, after, touch, False
        when = max(before, 0.0) / (before - then)
        t = when * h
        for newton in range(2):
            at, w = arc(x, v, g, air, drag, t)
            chord = x[1] + when * (to[1] - x[1])
            gap, inward = at[1] - chord, factor * w[1]
            if newton or when <= 0 or inward > -1e-9 or abs(gap) > 0.5 * abs(inward) * h:
                break
            t = min(max(t - gap / inward, 0.0), h)
        x, v = [at[0], at[1] - gap, at[2]], w
        gone += t
        h = max(h - t, 0.0)
        impact, pull = max(-v[1], 0.0), max(-g[1], 0.0)
        rests = contact["bounce"] * impact <= pull * step or impact < contact["minimum_speed"]
        strikes = impact > 1.5 * pull * step + 1e-6
        counts = impact >= contact["minimum_speed"] and (strikes or contact["meets"] != "bounce")
        down = v[1]
        if counts and contact["meets"] == "end":
            return x, v, touch or (start + gone, impact, v, add(x, [0, radius, 0], -1)), True
        if counts and contact["meets"] == "stick":
            p.held = True
            return x, [0.0, 0.0, 0.0], touch or (start + gone, impact, v, x), False
        thrown, slide = 0.0 if rests else contact["bounce"] * impact, math.log(max(contact["slide"], 1e-300))
        keep = math.exp(slide * min((impact + thrown) / 0.981, 1.0))
        v = [v[0] * keep, 0.0 if rests else -contact["bounce"] * down, v[2] * keep]
        if counts and touch is None:
            touch = [start + gone, impact, None, add(x, [0, radius, 0], -1)]
        if rests:
            pressed = pull + drag * max(-air[1], 0.0)
            g, air = [g[0], max(g[1], 0.0), g[2]], [air[0], max(air[1], 0.0), air[2]]
            if not rubbed:
                rub = -slide * pressed / 0.981
                both = max(drag + rub, 1e-30)
                air, drag, rubbed = times(air, drag / both), drag + rub, True
        if h <= 0:
            break
    return x, v, touch, False

# Offspring (8) and the whole
class Player:
    def __init__(self, effect, ground):
        self.effect, self.ground = effect, ground
        self.layers = {told["id"]: Layer(effect, told) for told in effect["layers"]}
    def ask(self, parent, rule, p, time, place, v, normal, occurrence):
        child = self.layers.get(rule["layer"])
        key = join(parent.key, rule["key"])
        own = p.number & parent.mask
        if child is None or (rule["chance"] < 1 and draw(key, own, 64 + occurrence) >= rule["chance"]):
            return
        occasion = mix(key ^ mix((own + occurrence * S) & MASK))
        born = time * child.told["tempo"] / parent.told["tempo"]
        if rule["delay"]["high"] > 0:
            born += ranged(rule["delay"], draw(key, occasion, 31))
        turn = child.turn
        way = {"onward": v, "back": times(v, -1), "surface": normal}.get(rule["facing"])
        if way is not None and length(way) > 1e-9:
            turn = upright(way)
        at = add(times(child.place, 1 - rule["place"]), place, rule["place"])
        for c in range(counted(rule["count"], draw(key, occasion, 30))):
            number = mix((occasion + (c + 1) * 0xD1B54A32D192ED03) & MASK)
            child.asked.append((born, (number & ~LOOP & MASK) | (p.number & LOOP), at, turn, times(v, rule["motion"])))
    def carry(self, layer, p, k, start, h):
        """One particle over a step, with what its rules ask; gives whether it lives on."""
        before, after, p.was = start - p.born, k * layer.h - p.born, p.x
        touch, ended = move(layer, p, start, h, self.ground)
        for rule in layer.told["offspring"]["rules"]:
            if rule["when"] == "touches" and touch is not None and touch[1] >= rule["minimum_impact"]:
                self.ask(layer, rule, p, touch[0], touch[3], touch[2] or p.whole, [0, 1, 0], p.touches)
            if rule["when"] == "by time":
                i = math.floor(before / rule["interval"]) + 1
                while i * rule["interval"] <= after:
                    part = (i * rule["interval"] - before) / (after - before)
                    place = add(times(p.was, 1 - part), p.x, part)
                    self.ask(layer, rule, p, start + part * h, place, p.whole, [0, 1, 0], i - 1)
                    i += 1
        p.touches += touch is not None
        return not ended
    def step(self, layer, k, births):
        now = k * layer.h
        kept = [p for p in layer.living if now - p.born < p.life and self.carry(layer, p, k, (k - 1) * layer.h, layer.h)]
        for born, number, place, turn, carried in births:
            if len(kept) >= layer.outlet["limit"]:
                break
            p = layer.newborn(born, number, place, turn, carried)
            for rule in layer.told["offspring"]["rules"]:
                if rule["when"] == "born":
                    self.ask(layer, rule, p, born, p.x, p.whole, [0, 1, 0], 0)
            if now - born < p.life and self.carry(layer, p, k, born, min(now - born, layer.h)):
                kept.append(p)
        layer.living = kept
    def play(self, moments):
        last = max(round(moment * self.effect["steps"]) for moment in moments)
        due = {}
        for layer in self.layers.values():
            for born, number in layer.births(last * layer.h):
                k = math.ceil(born / layer.h - 1e-6)
                due.setdefault((layer.told["id"], k), []).append((born, number, layer.place, layer.turn, [0, 0, 0]))
        first = min([0, *(k for _, k in due)])
        shown = {}
        for k in range(first, last + 1):
            for layer in self.layers.values():
                births = due.pop((layer.told["id"], k), [])
                asked = [each for each in layer.asked if math.ceil(each[0] / layer.h - 1e-6) <= k]
                layer.asked = [each for each in layer.asked if math.ceil(each[0] / layer.h - 1e-6) > k]
                if k > first or births or asked:
                    self.step(layer, k, sorted(births + asked, key=lambda each: each[0]))
            shown[k] = [self.row(layer, p, k) for layer in self.layers.values() for p in layer.living] if k >= 0 else []
        return [shown[round(moment * self.effect["steps"])] for moment in moments]
    def row(self, layer, p, k):
        """How a particle looks (9)."""
        own, b, life, look = p.number & layer.mask, layer.birth, layer.life, layer.told["look"]
        elapsed = k * layer.h - p.born
        age = min(max(elapsed / max(p.life, 1e-9), 0.0), 1.0)
        clock = k * layer.h / layer.told["tempo"]
        if self.effect["loop"]:
            clock %= self.effect["duration"]
        size = layer.of(b["size"], own, 8) * layer.scale
        bright, solid = layer.of(b["brightness"], own, 12), layer.of(b["opacity"], own, 13)
        angle = layer.of(b["angle"], own, 9) + layer.of(b["spin"], own, 10) * elapsed
        tint, frames = b["tint"], 0.0
        colour = tint["first"]
        if tint["gradient"] is not None:
            colour = gradient_at(tint["gradient"]["stops"], draw(layer.key, own, 11))
        elif tint["first"] != tint["second"]:
            colour = add(colour, add(tint["second"], colour, -1), draw(layer.key, own, 11))
        everyday = dict.fromkeys(("size", "brightness", "opacity", "speed"), 1.0)
        for i, name in enumerate(everyday):
            if life[name] is not None:
                everyday[name] = banded(layer, life[name], 65000 + i, own, age)
        if life["colour"] is not None:
            colour = [a * c for a, c in zip(colour, gradient_at(life["colour"]["stops"], age))]
        for lane in life["more"]:
            value = lane_at(layer, lane, own, age, length(p.whole), clock)
            if lane["drives"] in everyday:
                everyday[lane["drives"]] *= value
            angle += value if lane["drives"] == "angle" else 0.0
            frames += value if lane["drives"] == "frame" else 0.0
        size *= everyday["size"]
        bright, solid = max(bright * everyday["brightness"], 0.0), min(max(solid * everyday["opacity"], 0.0), 1.0)
        sides = [layer.of(b["stretch"][axis], own, 22 + i) for i, axis in enumerate("xyz")]
        total = look["columns"] * look["rows"]
        frames += self.frame(layer, look, own, age, elapsed, total)
        if b["frame"]["high"] > 0:
            frames += math.floor(layer.of(b["frame"], own, 34))
        way = add(times(p.v, everyday["speed"]), add(p.whole, p.v, -1))
        told = {"position": p.x, "velocity": times(way, layer.told["tempo"] * self.effect["tempo"]),
            "size": [max(size, 0.0) * side for side in (sides[0], b["aspect"] * sides[1], sides[2])],
            "angle": angle, "colour": [*times(colour, bright), solid], "frame": min(frames % total, total - 1e-3), "age": age}
        return [layer.told["slug"], f"0x{p.number:016x}", told]
    def frame(self, layer, look, own, age, elapsed, total):
        if look["play"] == "one at random":
            return math.floor(draw(layer.key, own, 14) * total)
        if look["play"] == "by clock":
            return elapsed * look["fps"] % total
        if look["play"] == "flicker":
            tick = int(max(elapsed * look["fps"], 0.0))
            return math.floor(draw(layer.key, own ^ ((tick << 20) & MASK), 14) * total)
        return min(age * total, total - 1e-3)

if __name__ == "__main__":
    for line in sys.stdin:
        asked = json.loads(line)
        print(json.dumps({"rows": Player(asked["play"], asked["ground"]).play(asked["moments"])}), flush=True)
