"""Every command of the Workbench: its keys, what it does, the words by which it is found."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from pale_ember.core.effect.story import STORY
from pale_ember.studio.shell.commands import Command


def every_command(window: Any) -> tuple[Command, ...]:
    """All that the Workbench does at a key, or is found by a word."""
    player, table, looking = window.desk.player, window.layers.table, window.desk.looking

    def step(steps: int) -> Callable[[], None]:
        return lambda: player.step(steps, window.desk.effect.steps)

    return (
        Command(("Ctrl+Z",), "Undo", window.undo, repeats=True, also=("back",)),
        Command(("Ctrl+Shift+Z", "Ctrl+Y"), "Redo", window.redo, repeats=True),
        Command(("Ctrl+N",), "New effect", window.files.new, also=("empty", "blank")),
        Command(("Ctrl+O",), "Open an effect", window.files.ask_open),
        Command(("Ctrl+S",), "Save the effect", window.files.save),
        Command(("Ctrl+Shift+S",), "Save as another file", window.files.save_as),
        Command(("Ctrl+E",), "Hand over, or go back", window.flip_handover, also=("export", "package", "publish")),
        Command(
            ("Ctrl+T",),
            "Open the texture bench, or go back",
            window.flip_bench,
            also=("texture", "picture", "paint", "noise", "simulate", "fluid", "brush"),
        ),
        Command(("Ctrl+B",), "Bake a sheet of frames", window.open_bake, also=("flipbook", "render to flipbook", "render", "export")),
        Command(
            ("Ctrl+Shift+B",),
            "Export a clip or a cache",
            window.open_motion,
            also=("movie", "film", "gif", "video", "usd", "alembic", "export"),
        ),
        Command(("Ctrl+F", "Ctrl+K"), "Search: fields, commands, layers, starting points", window.open_search),
        Command(("Ctrl+Q",), "Quit", window.close, also=("leave", "exit")),
        Command(("Shift+R",), "New seed", window.another_seed, also=("random", "variation", "dice", "reroll")),
        Command(
            ("C",),
            "Show the problems that checks found",
            lambda: window.flip_side(window.checks),
            also=("warnings", "errors", "fix", "lint"),
        ),
        Command(
            ("G",),
            "Show what the effect costs, and how to cut it",
            lambda: window.flip_side(window.costs),
            also=("cost", "budget", "performance", "overdraw", "memory", "profile"),
        ),
        Command(
            ("T",),
            "Thin out: fewer particles, the same picture",
            lambda: window.flip_side(window.thinning),
            also=("optimise", "reduce", "performance", "fewer", "cost", "lod"),
        ),
        Command(("L",), "Lock or unlock the layer", window.layers.table.toggle_locked),
        Command(("F1",), "Open the guide", window.open_guide, also=("help", "manual")),
        Command(("?",), "Show all shortcuts", window.open_keys, also=("keys", "help", "keyboard")),
        *(
            Command((str(i),), f"Go to {name.capitalize()}; again, expand it", partial(window.story.open_by_number, name))
            for i, name in enumerate(STORY, 1)
        ),
        Command(("/",), "Add to the current chapter", window.add_here, also=("add field", "property", "more")),
        Command(("Space",), "Play or pause", player.toggle, also=("freeze", "hold")),
        Command(("R",), "Restart", player.again, also=("replay", "again", "from the start")),
        Command((",",), "One step back", step(-1), repeats=True),
        Command((".",), "One step forward", step(1), repeats=True),
        Command(("]",), "Follow the particle born next", lambda: window.follow(1)),
        Command(("[",), "Follow the particle born before", lambda: window.follow(-1)),
        Command(("F",), "Frame what is alive", window.stage.frame_effect, also=("focus", "zoom to fit")),
        Command(("Home",), "Look from the first saved view", lambda: looking.look_from(looking.first_camera())),
        Command(("O",), "Show or hide all overlays", window.transport.flip_marks, also=("gizmo",)),
        Command(
            ("X",),
            "Next axes for moving the layer: what it stands in, its own, the world's",
            window.turn_axes,
            also=("gizmo", "local", "world", "space"),
        ),
        Command(("Shift+X",), "Reverse the aim of the particles", window.flip_aim, also=("flip", "invert", "reverse")),
        Command(("F2",), "Rename the layer; over the story, edit the sentence", window.rename_layer, also=("name", "write")),
        Command(("Shift+F2",), "Edit the layer's whole story as text", lambda: window.story.write(""), also=("text", "sentence")),
        Command(("H",), "Show or hide the layer", table.toggle_shown, also=("visibility", "mute")),
        Command(("A",), "Solo the layer, or show the others again", table.toggle_solo, also=("isolate",)),
        Command(("N",), "Add a layer from a starting point", window.layers.open_starts, also=("new layer", "emitter", "preset")),
        Command(("Ctrl+D",), "Duplicate the layer", table.duplicate, also=("copy", "clone")),
        Command(("Alt+Up",), "Draw the layer earlier", lambda: window.move_here(-1)),
        Command(("Alt+Down",), "Draw the layer later", lambda: window.move_here(1)),
    )
