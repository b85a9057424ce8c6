"""Every command of the Workbench: its keys, what it does, the words by which it is found."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.shapes import with_aim_flipped
from pale_ember.core.effect.story import STORY
from pale_ember.studio.shell.commands import Command
from pale_ember.studio.shell.screens import EFFECTS, HANDOVER, TEXTURES, WORKBENCH


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
        Command(
            ("Ctrl+Shift+O",),
            "Look through the effects of a folder, or go back",
            partial(window.screens.flip, EFFECTS),
            also=(
                "folder",
                "game",
                "browse",
                "library",
                "all effects",
                "shared",
                "gallery",
                "project",
                "library asset",
                "linked preset",
                "nightly build",
            ),
        ),
        Command(("Ctrl+S",), "Save the effect", window.files.save),
        Command(("Ctrl+Shift+S",), "Save as another file", window.files.save_as),
        Command(("Ctrl+E",), "Hand over, or go back", partial(window.screens.flip, HANDOVER), also=("export", "package", "publish")),
        Command(
            ("Ctrl+T",),
            "Open the texture bench, or go back",
            partial(window.screens.flip, TEXTURES),
            also=("texture", "picture", "paint", "noise", "simulate", "fluid", "brush"),
        ),
        Command(("Ctrl+B",), "Bake a sheet of frames", window.open.sheet, also=("flipbook", "render to flipbook", "render", "export")),
        Command(
            ("Ctrl+Shift+B",),
            "Export a clip or a cache",
            window.open.clip,
            also=("movie", "film", "gif", "video", "usd", "alembic", "export"),
        ),
        Command(("Ctrl+F", "Ctrl+K"), "Search: fields, commands, layers, starting points", window.open.search),
        Command(("Ctrl+Q",), "Quit", window.close, also=("leave", "exit")),
        Command(("Shift+R",), "New seed", partial(_another_seed, window), also=("random", "variation", "dice", "reroll")),
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
        Command(
            ("W",),
            "Variations: nine to choose among",
            lambda: window.flip_side(window.variations),
            also=("vary", "wild", "explore", "mutate", "ideas", "mix", "between two", "blend variants"),
        ),
        Command(
            ("K",),
            "Reference: measure, take from it, fit to it",
            lambda: window.flip_side(window.matching),
            also=("footage", "video", "match", "compare", "concept", "fit", "onion"),
        ),
        Command(
            ("D",),
            "Changes: against the saved file, a variant, another file",
            lambda: window.flip_side(window.changes),
            also=("diff", "difference", "compare", "merge", "conflict", "revision", "version control", "follow", "revert"),
        ),
        Command(("L",), "Lock or unlock the layer", window.layers.table.toggle_locked),
        Command(("F1",), "Open the guide", window.open.guide, also=("help", "manual")),
        Command(("?",), "Show all shortcuts", window.open.shortcuts, also=("keys", "help", "keyboard")),
        *(
            Command((str(i),), f"Go to {name.capitalize()}; again, expand it", partial(window.story.open_by_number, name))
            for i, name in enumerate(STORY, 1)
        ),
        Command(("/",), "Add to the current chapter", partial(_add_here, window), also=("add field", "property", "more")),
        Command(("Space",), "Play or pause", player.toggle, also=("freeze", "hold")),
        Command(("R",), "Restart", player.again, also=("replay", "again", "from the start")),
        Command((",",), "One step back", step(-1), repeats=True),
        Command((".",), "One step forward", step(1), repeats=True),
        Command(("]",), "Follow the particle born next", partial(_follow, window, 1)),
        Command(("[",), "Follow the particle born before", partial(_follow, window, -1)),
        Command(("F",), "Frame what is alive", window.stage.frame_effect, also=("focus", "zoom to fit")),
        Command(("Home",), "Look from the first saved view", lambda: looking.look_from(looking.first_camera())),
        Command(("O",), "Show or hide all overlays", window.transport.flip_marks, also=("gizmo",)),
        Command(
            ("X",),
            "Next axes for moving the layer: what it stands in, its own, the world's",
            partial(_turn_axes, window),
            also=("gizmo", "local", "world", "space"),
        ),
        Command(("Shift+X",), "Reverse the aim of the particles", partial(_flip_aim, window), also=("flip", "invert", "reverse")),
        Command(("F2",), "Rename the layer; over the story, edit the sentence", partial(_rename, window), also=("name", "write")),
        Command(("Shift+F2",), "Edit the layer's whole story as text", lambda: window.story.write(""), also=("text", "sentence")),
        Command(("H",), "Show or hide the layer", table.toggle_shown, also=("visibility", "mute")),
        Command(("A",), "Solo the layer, or show the others again", table.toggle_solo, also=("isolate",)),
        Command(("N",), "Add a layer from a starting point", window.layers.open_starts, also=("new layer", "emitter", "preset")),
        Command(("Ctrl+D",), "Duplicate the layer", table.duplicate, also=("copy", "clone")),
        Command(("Alt+Up",), "Draw the layer earlier", partial(_move_here, window, -1)),
        Command(("Alt+Down",), "Draw the layer later", partial(_move_here, window, 1)),
    )


def _another_seed(window: Any) -> None:
    """The same effect with other draws."""
    effect = window.document.effect
    window.document.change("new seed", with_value(effect, ("seed",), (effect.seed + 1) % 2**31))


def _turn_axes(window: Any) -> None:
    """Moves and turns the layer in other axes."""
    whose = {"parent": "of what it stands in", "own": "of its own", "world": "of the world"}
    window.hints.show_hint(f"The layer moves and turns along the axes {whose[window.desk.looking.turn_axes()]}.")


def _flip_aim(window: Any) -> None:
    """Lets the layer's particles head the other way."""
    layer = window.desk.layer
    if layer is None:
        return
    flipped = with_aim_flipped(layer)
    if flipped is layer:
        window.hints.show_hint(f"{layer.name} heads {layer.outlet.aim}: that cannot be reversed.")
    else:
        window.document.change_layer(f"{layer.name}: reverse aim", layer.id, ("outlet",), flipped.outlet)


def _follow(window: Any, by: int) -> None:
    """Follows a neighbour of the particle that is followed."""
    answer = window.stage.answer
    window.stage.follower.step(by, answer.frame if answer is not None else None)


def _add_here(window: Any) -> None:
    """Opens what adds to the screen that is shown: a row to a chapter, or a step to a picture."""
    if window.screens.shown == TEXTURES:
        window.bench.open_adding()
    else:
        window.story.open_adding(window.story.adding_chapter())


def _move_here(window: Any, by: int) -> None:
    """Moves the selected layer in its list; on the bench the step in its recipe."""
    if window.screens.shown == TEXTURES:
        window.bench.chosen.shift_step(by)
    else:
        window.layers.table.move(by)


def _rename(window: Any) -> None:
    """Opens the selected layer's name; over the story the sentence of the chapter in hand; on the bench the picture's name."""
    if window.screens.shown == TEXTURES:
        window.bench.rename()
    elif window.screens.shown == WORKBENCH and not window.keyboard.commands_here():
        window.story.write(window.story.adding_chapter())
    else:
        window.layers.show_selected()
        window.layers.table.rename()
