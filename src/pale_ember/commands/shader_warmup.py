"""Makes shaders ready: whatever the demo effects need is drawn once, very small, so that the driver keeps it on disk. Compiled
while a window plays they would hold it up, a second in all where the processor draws."""

from __future__ import annotations

from pale_ember import ASSETS

_SIZE = 64, 36


def shaders() -> None:
    """Draws the demo effects in all the ways that a window does. Where nothing can be drawn, nothing is made ready."""
    from pale_ember.core.effect.model import FIRST_VIEW
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.core.view import view_of
    from pale_ember.draw.context import NoOpenGL
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.renderer import SHOWS, Shot
    from pale_ember.formats.document import load
    from pale_ember.formats.shelf import Shelf

    for path in sorted((ASSETS / "demo").glob("*.pale")):
        effect, _ = load(path)
        shelf = Shelf(path.parent, effect.recipes)
        frame = Timeline(effect, shelf.mesh, shelf.density).frame(0.5 * effect.duration / effect.tempo)
        view = view_of((effect.stage.cameras or (FIRST_VIEW,))[0], *_SIZE)
        try:
            with offscreen(shelf.get, shelf.mesh) as renderer:
                for shows in SHOWS:
                    shot = Shot(stage=effect.stage, background=effect.stage.background, shows=shows)
                    renderer.picture(frame, view, shot, *_SIZE)
                renderer.picture(frame, view, Shot(background="none", alpha="premultiplied"), *_SIZE)
        except NoOpenGL:
            return
