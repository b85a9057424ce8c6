"""The pressure that keeps a gas from being squeezed: solved exactly, wave by wave."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from pale_ember.core.kernel import kernel


@dataclass(frozen=True, slots=True)
class Walls:
    """The sides of a box: open ones let air in and out (pressure 0), a floor does not.

    On a grid of faces the second differences of pressure have as their own waves sines between two open sides (DST-II), cosines
    between two closed ones (DCT-II), and quarter-shifted cosines from a floor to an open top (DCT-IV), all exactly (G. Strang,
    The discrete cosine transform, SIAM Review 41, 1999). So the divergence that is left is rounding alone.
    """

    floor: bool = False
    closed: bool = False

    def _kinds(self) -> tuple[tuple[str, int, float], ...]:
        """For each axis the transform, its type, and what is added to a wave's number."""
        side = ("dct", 2, 0.0) if self.closed else ("dst", 2, 1.0)
        upright = ("dct", 4, 0.5) if self.floor and not self.closed else side
        return side, upright, side

    def there(self, values: np.ndarray) -> np.ndarray:
        """Values (nx, ny, nz) as waves."""
        from scipy import fft

        for axis, (kind, order, _) in enumerate(self._kinds()):
            values = (fft.dct if kind == "dct" else fft.dst)(values, order, axis=axis, workers=2, overwrite_x=True)
        return values

    def back(self, waves: np.ndarray) -> np.ndarray:
        """From waves to cells: the inverse of the transform, (n, n, n) float32."""
        from scipy import fft

        for axis, (kind, order, _) in enumerate(self._kinds()):
            waves = (fft.idct if kind == "dct" else fft.idst)(waves, order, axis=axis, workers=2, overwrite_x=True)
        return waves

    def stiffness(self, shape: tuple[int, int, int]) -> np.ndarray:
        """(nx, ny, nz) float32: what the second differences multiply each wave by; a constant between closed walls has none and
        is told as endless, so that its pressure is 0."""
        total = np.zeros(shape)
        for axis, (_, _, shift) in enumerate(self._kinds()):
            count = shape[axis]
            factor = 2 * np.cos(np.pi * (np.arange(count) + shift) / count) - 2
            total += factor.reshape([-1 if a == axis else 1 for a in range(3)])
        total[np.abs(total) < 1e-9] = np.inf
        return total.astype(np.float32)


@kernel
def _divergence(u, v, w, out):
    """What flows out of each cell, by its six faces."""
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            for k in range(out.shape[2]):
                out[i, j, k] = u[i + 1, j, k] - u[i, j, k] + v[i, j + 1, k] - v[i, j, k] + w[i, j, k + 1] - w[i, j, k]


@kernel
def _relieve(u, v, w, p, open_sides, open_foot, open_top):
    """Takes the slope of the pressure from the faces. At an open side the pressure is 0 on the face itself, half a cell away."""
    nx, ny, nz = p.shape
    for i in range(1, nx):
        for j in range(ny):
            for k in range(nz):
                u[i, j, k] -= p[i, j, k] - p[i - 1, j, k]
    for i in range(nx):
        for j in range(1, ny):
            for k in range(nz):
                v[i, j, k] -= p[i, j, k] - p[i, j - 1, k]
        for j in range(ny):
            for k in range(1, nz):
                w[i, j, k] -= p[i, j, k] - p[i, j, k - 1]
    two = np.float32(2.0)
    if open_sides:
        for j in range(ny):
            for k in range(nz):
                u[0, j, k] -= two * p[0, j, k]
                u[nx, j, k] += two * p[nx - 1, j, k]
        for i in range(nx):
            for j in range(ny):
                w[i, j, 0] -= two * p[i, j, 0]
                w[i, j, nz] += two * p[i, j, nz - 1]
    for i in range(nx):
        for k in range(nz):
            if open_foot:
                v[i, 0, k] -= two * p[i, 0, k]
            if open_top:
                v[i, ny, k] += two * p[i, ny - 1, k]


@dataclass(slots=True, eq=False)
class Projection:
    """Takes from the velocities on the faces of cells whatever flows out of a cell or into it, but for what is told to.

    shape : cells along each axis. The faces are (nx + 1, ny, nz), (nx, ny + 1, nz) and (nx, ny, nz + 1) float32.
    """

    shape: tuple[int, int, int]
    walls: Walls
    _stiff: np.ndarray = field(init=False)
    _out: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        self._stiff = self.walls.stiffness(self.shape)
        self._out = np.empty(self.shape, np.float32)

    def divergence(self, u: np.ndarray, v: np.ndarray, w: np.ndarray) -> np.ndarray:
        """(nx, ny, nz) float32, speed: what flows out of each cell. Lent: overwritten by the next."""
        _divergence(u, v, w, self._out)
        return self._out

    def apply(self, u: np.ndarray, v: np.ndarray, w: np.ndarray, swells: np.ndarray | None = None) -> None:
        """Changes the velocities in place. swells : (nx, ny, nz) what is to flow out of each cell after it."""
        if self.walls.closed:
            u[0] = u[-1] = v[:, 0] = v[:, -1] = w[..., 0] = w[..., -1] = 0
        elif self.walls.floor:
            v[:, 0] = 0
        flows = self.divergence(u, v, w)
        if swells is not None:
            flows -= swells
        pressure = self.walls.back(self.walls.there(flows.copy()) / self._stiff)
        closed, floor = self.walls.closed, self.walls.floor
        _relieve(u, v, w, np.ascontiguousarray(pressure, np.float32), not closed, not (closed or floor), not closed)
