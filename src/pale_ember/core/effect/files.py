"""Which pictures and meshes an effect uses."""

from __future__ import annotations

from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.recipe.recipe import read_by
from pale_ember.core.effect.variants import as_variant


def pictures_of(effect: Effect) -> list[str]:
    """Every picture by name, once, in the order of the layers; the stage's last."""
    names: list[str] = []
    for layer in effect.layers:
        look = layer.look
        names += [look.picture, *(name for name, _ in look.surface.multiplied), look.surface.warp, look.dissolve.picture]
        if look.light.lit > 0 and look.drawn_as == "sprite":
            names.append(look.light.six)
        if look.light.gloss > 0 and look.drawn_as == "sprite":
            names.append(look.light.normals)
        if look.trails:
            names.append(look.ribbon.picture)
        if look.between == "along vectors":
            names.append(look.vectors)
        if layer.outlet.shape == "mesh" and layer.outlet.density != "vertex colour":
            names.append(layer.outlet.density)
    if effect.stage.background == "picture":
        names.append(effect.stage.picture)
    return [name for name in dict.fromkeys(names) if name]


def files_of(effect: Effect) -> list[str]:
    """Every picture by name, once, also those that its recipes are made of."""
    names = [*pictures_of(effect), *(name for recipe in effect.recipes for name in read_by(recipe))]
    return list(dict.fromkeys(names))


def meshes_of(effect: Effect) -> list[str]:
    """Every mesh by name, once."""
    names = [layer.outlet.mesh for layer in effect.layers if layer.outlet.shape == "mesh"]
    names += [place.mesh for layer in effect.layers if layer.outlet.shape == "mesh" for place in layer.places.told]
    names += [layer.look.solid.mesh for layer in effect.layers if layer.look.drawn_as == "mesh"]
    names += [prop.mesh for prop in effect.stage.props if prop.shape == "mesh"]
    return [name for name in dict.fromkeys(names) if name]


def files_beside(effect: Effect) -> list[str]:
    """Every file beside the document that it, or one of its variants, reads, once."""
    whole = (effect, *(as_variant(effect, variant) for variant in effect.variants))
    names = (name.partition("#")[0] for each in whole for name in (*files_of(each), *meshes_of(each)) if ":" not in name)
    return [name for name in dict.fromkeys(names) if name]
