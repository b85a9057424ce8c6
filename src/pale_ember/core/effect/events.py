"""What a game tells an effect, and what the effect tells a game: events it answers, cues along its time."""

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Part, beside


class Answers(Part, frozen=True):
    """The names of the events that an effect answers in a game, and how it begins there."""

    by_itself: Annotated[
        bool,
        Field(
            "starts by itself",
            "Whether it plays as soon as it is in the game, or waits for its start event.",
            moves=False,
            words=("auto play", "autoplay", "on start"),
        ),
    ] = True
    delay: Annotated[
        float,
        Field("delay", "How long a game waits between the start and the effect's beginning; here it plays at once.",
              unit="s", soft=(0, 3), least=0, most=3600, moves=False, words=("wait", "lead-in")),
    ] = 0.0  # fmt: skip
    start: Annotated[str, Field("starts on", "The game's event that restarts it.", moves=False, words=("trigger", "play"))] = ""
    stop: Annotated[str, Field("stops on", "The game's event that removes it at once.", moves=False, words=("kill", "clear"))] = ""
    fade: Annotated[
        str,
        Field(
            "ends softly on",
            "The game's event that stops spawning; live particles finish.",
            moves=False,
            words=("stop emitting", "fade out", "end"),
        ),
    ] = ""
    strength: Annotated[
        str, Field("strength from", "The game's value for how much is born, from 0 to 1.", moves=False, words=("intensity", "parameter"))
    ] = ""

    def named(self) -> dict[str, str]:
        """By what each does, the name of every event that has one."""
        told = {"start": self.start, "stop": self.stop, "end softly": self.fade, "strength": self.strength}
        return {does: name for does, name in told.items() if name}


class Cue(Part, frozen=True):
    """A moment of the effect's time that has a name: a game is told when it comes, and layers may start on it."""

    name: Annotated[str, Field("name", "What the moment is called.")] = "cue"
    at: Annotated[float, Field("at", "When it comes, from the effect's beginning.", unit="s", soft=(0, 3), least=0)] = 0.0
    what: Annotated[
        Literal["sound", "shake", "layer", "other"],
        Field("for", "What it is for.", options=("A sound.", "A shake of the camera.", "A layer's start.", "Anything else.")),
    ] = "sound"
    sound: Annotated[
        str,
        Field(
            "sound",
            "The game's name of the sound; none means that of the cue.",
            words=("audio", "sample"),
            needs=(beside("what", lambda what: what == "sound", "The cue is for something else."),),
        ),
    ] = ""
    strength: Annotated[
        float,
        Field("how strong", "How loud the sound is, or how hard the shake; 1 is as it was made.", unit="×", soft=(0, 2),
              least=0, most=100, words=("volume", "loudness", "amplitude"),
              needs=(beside("what", lambda what: what in ("sound", "shake"), "The cue is for something else."),)),
    ] = 1.0  # fmt: skip
