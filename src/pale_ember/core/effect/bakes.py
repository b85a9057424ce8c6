"""What is baked of an effect whenever its folder is built: sheets and clips, kept with the document."""

from typing import Annotated, ClassVar, Literal

from pale_ember.core.effect.fields import Field, Part


class AnyBake(Part, frozen=True):
    """Something that is baked, by the name of its file."""

    kind: ClassVar[str] = ""

    name: Annotated[str, Field("name", "The name of the file, without its ending.", moves=False)] = "sheet"
    first: Annotated[float, Field("from", "The moment of the first frame.", unit="s", least=0, most=36000)] = 0.0
    last: Annotated[
        float, Field("to", "The moment where it ends; 0 for the end of the effect, or of one loop.", unit="s", least=0, most=36000)
    ] = 0.0
    camera: Annotated[str, Field("camera", "A saved view; none takes the first, for a sheet moved so that no frame is cut off.")] = ""


class SheetBake(AnyBake, frozen=True):
    """A sheet of frames."""

    kind: ClassVar[str] = "sheet"

    ending: Annotated[Literal[".png", ".exr", ".dds"], Field("format", "How it is kept.")] = ".png"
    frames: Annotated[int, Field("frames", "How many.", least=1, most=1024)] = 16
    columns: Annotated[int, Field("columns", "Frames side by side.", least=1, most=256)] = 4
    cell: Annotated[int, Field("cell", "Pixels along each side of a frame.", unit="px", least=4, most=2048)] = 128
    alpha: Annotated[Literal["straight", "premultiplied"], Field("alpha", "How colour and alpha are stored.")] = "straight"
    fade: Annotated[
        float, Field("cross-fade", "The share of the frames in which the end fades into the beginning.", least=0, most=0.5)
    ] = 0.0
    keep: Annotated[float, Field("keep", "How much of what is painted is in it.", least=0.5, most=1)] = 1.0
    same: Annotated[bool, Field("same every loop", "Whether a loop is baked so that it meets itself.")] = True
    vectors: Annotated[bool, Field("motion vectors", "Whether how it moves is baked beside it.")] = False
    normals: Annotated[bool, Field("normals", "Whether how it stands to light is baked beside it.")] = False


class ClipBake(AnyBake, frozen=True):
    """A moving picture."""

    kind: ClassVar[str] = "clip"

    ending: Annotated[Literal[".webp", ".png", ".mp4", ".webm"], Field("format", "How it is kept.")] = ".webp"
    fps: Annotated[float, Field("frames a second", "How many.", least=1, most=120)] = 30.0
    wide: Annotated[int, Field("width", "Of the picture.", unit="px", least=16, most=4096)] = 640
    tall: Annotated[int, Field("height", "Of the picture.", unit="px", least=16, most=4096)] = 480
    over: Annotated[
        Literal["as on the stage", "none", "dark", "mid", "light", "gradient", "checker"], Field("over", "What is behind it.")
    ] = "as on the stage"
