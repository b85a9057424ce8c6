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
        Command(("Ctrl+Z",), "takes the last change back", window.undo, repeats=True, also=("undo",)),
        Command(("Ctrl+Shift+Z", "Ctrl+Y"), "redoes what was taken back", window.redo, repeats=True, also=("redo",)),
        Command(("Ctrl+N",), "begins a new effect", window.files.new, also=("new",)),
        Command(("Ctrl+O",), "opens an effect", window.files.ask_open),
        Command(("Ctrl+S",), "saves the effect", window.files.save),
        Command(("Ctrl+Shift+S",), "saves it under another name", window.files.save_as),
        Command(
            ("Ctrl+E",),
            "hands the effect over, or goes back",
            window.flip_handover,
            also=("export", "package", "publish"),
        ),
        Command(
            ("Ctrl+T",),
            "opens the texture bench, or goes back",
            window.flip_bench,
            also=("texture", "picture", "paint", "noise", "simulate", "fluid", "brush"),
        ),
        Command(
            ("Ctrl+B",),
            "bakes a sheet of frames",
            window.open_bake,
            also=("flipbook", "render to flipbook", "render", "export"),
        ),
        Command(
            ("Ctrl+Shift+B",),
            "keeps a clip or a cache",
            window.open_motion,
            also=("movie", "film", "gif", "video", "usd", "alembic", "export"),
        ),
        Command(("Ctrl+F", "Ctrl+K"), "finds anything: fields, commands, layers, starting points", window.open_search),
        Command(("Ctrl+Q",), "leaves", window.close),
        Command(
            ("Shift+R",),
            "rolls the dice again: another seed",
            window.another_seed,
            also=("seed", "random", "variation"),
        ),
        Command(
            ("C",),
            "shows what the checks found",
            lambda: window.flip_side(window.checks),
            also=("problems", "warnings", "errors", "mend", "lint"),
        ),
        Command(
            ("G",),
            "shows what the effect costs, and what would cut it",
            lambda: window.flip_side(window.costs),
            also=("cost", "budget", "performance", "overdraw", "memory", "profile"),
        ),
        Command(
            ("T",),
            "thins out: fewer particles, the same picture",
            lambda: window.flip_side(window.thinning),
            also=("optimise", "reduce", "performance", "fewer", "cost", "lod"),
        ),
        Command(("L",), "locks the layer, or frees it", window.layers.table.toggle_locked),
        Command(("F1",), "opens the guide", window.open_guide, also=("help", "manual")),
        Command(("?",), "shows all keys", window.open_keys, also=("shortcuts", "help", "keyboard")),
        *(
            Command(
                (str(i),),
                f"brings {name.capitalize()} into view, again expands it",
                partial(window.story.open_by_number, name),
            )
            for i, name in enumerate(STORY, 1)
        ),
        Command(
            ("/",),
            "adds to the chapter in hand",
            window.add_here,
            also=("add field", "property", "more"),
        ),
        Command(("Space",), "holds and plays", player.toggle, also=("pause",)),
        Command(("R",), "plays again from the start", player.again, also=("restart", "replay")),
        Command((",",), "one step back", step(-1), repeats=True),
        Command((".",), "one step on", step(1), repeats=True),
        Command(("]",), "follows the particle born next", lambda: window.follow(1)),
        Command(("[",), "follows the particle born before", lambda: window.follow(-1)),
        Command(("F",), "frames what is alive", window.stage.frame_effect, also=("focus", "zoom to fit")),
        Command(("Home",), "looks from the first saved view", lambda: looking.look_from(looking.first_camera())),
        Command(("O",), "hides or shows all marks", window.transport.flip_marks, also=("gizmo", "overlay")),
        Command(
            ("X",),
            "moves the layer along the axes of what it stands in, its own, the world's",
            window.turn_axes,
            also=("gizmo", "local", "world", "space"),
        ),
        Command(("Shift+X",), "lets particles head the other way", window.flip_aim, also=("flip", "invert", "reverse")),
        Command(
            ("F2",),
            "over the layers renames the layer, over the story writes the sentence",
            window.rename_layer,
            also=("name", "write"),
        ),
        Command(
            ("Shift+F2",), "writes the layer's whole story", lambda: window.story.write(""), also=("text", "sentence")
        ),
        Command(("H",), "hides or shows the layer", table.toggle_shown, also=("visibility", "mute")),
        Command(("A",), "solo: shows the layer alone, or with the others", table.toggle_solo, also=("isolate",)),
        Command(
            ("N",),
            "adds a layer: starting points",
            window.layers.open_starts,
            also=("new layer", "emitter", "preset"),
        ),
        Command(("Ctrl+D",), "duplicates the layer", table.duplicate, also=("copy", "clone")),
        Command(("Alt+Up",), "draws the layer earlier", lambda: window.move_here(-1)),
        Command(("Alt+Down",), "draws the layer later", lambda: window.move_here(1)),
    )
