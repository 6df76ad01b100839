"""Changes of what is kept with a level as a whole: name, atmosphere, drawing, tiers and marks, walks, recipes
for handovers, kept views, plots, wind, and how ground layers are drawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal

from pydantic import GetJsonSchemaHandler, TypeAdapter, ValidationError
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings, Marks, Tier, Tiers
from thicket.document.edits.base import Edit, changed, check_as_before
from thicket.document.edits.values import Blob
from thicket.document.level import Level
from thicket.document.plots import Plots
from thicket.document.recipes import Recipes
from thicket.document.settings import Name, Strict
from thicket.document.views import LayerAppearance, LayerName, SavedView, WindSettings
from thicket.document.walks import Walk, Walks
from thicket.formats.recipe import Recipe
from thicket.limits import VIEWS
from thicket.refused import Missing, Refused, first_error


class FieldsOf:
    """Has the schema of some fields of a model: those that are given."""

    def __init__(self, model: type[Strict]) -> None:
        self.model = model

    def __get_pydantic_json_schema__(self, _: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        found = handler.resolve_ref_schema(handler(self.model.__pydantic_core_schema__))
        return {name: part for name, part in found.items() if name != "required"}


def view_of(level: Level) -> Mapping[str, Any]:
    """What is shown and budgeted of a level, as `thicket.document.level_file.ViewFile` has it, as JSON."""
    return level.details.get("view", {})


def with_view(level: Level, **parts: Any) -> Level:
    """The level with other parts of that."""
    return replace(level, details={**level.details, "view": {**view_of(level), **parts}})


def checked(model: Any, given: Any) -> Any:
    """A value as a model has it. Raises: Refused, naming the field."""
    try:
        return TypeAdapter(model).validate_python(given)
    except ValidationError as error:
        raise Refused(first_error(error)) from None


class Rename(Edit):
    """Give the level another name."""

    kind: Literal["rename"] = "rename"
    name: Name
    expected: Name | None = None

    def apply(self, level: Level) -> Level:
        if self.expected is not None:
            check_as_before("The level's name", level.name, self.expected)
        return replace(level, name=self.name)

    def inverse(self, level: Level) -> Rename:
        return Rename(name=level.name, expected=self.name)


class _Fields(Edit):
    """Some fields of one part of the level's view put. `expected`, where it is given, are the values that
    they must have until then."""

    part: ClassVar[str]
    model: ClassVar[type[Strict]]
    put: dict[str, Any]
    expected: dict[str, Any] | None = None

    def _now(self, level: Level) -> dict[str, Any]:
        return self.model.model_validate(view_of(level).get(self.part) or {}).model_dump(mode="json")

    def _put(self, level: Level, fields: dict[str, Any]) -> Level:
        return with_view(level, **{self.part: fields})

    def apply(self, level: Level) -> Level:
        now = self._now(level)
        for name, value in (self.expected or {}).items():
            check_as_before(f"The {name.replace('_', ' ')} of the {self.part}", now.get(name), value)
        return self._put(level, checked(self.model, {**now, **self.put}).model_dump(mode="json"))

    def inverse(self, level: Level) -> Edit:
        was, now = self._now(level), self._now(self.apply(level))
        names = [name for name in self.put if was[name] != now[name]]
        return self.model_copy(
            update={"put": {n: was[n] for n in names}, "expected": {n: now[n] for n in names}}
        )


class SetAtmosphere(_Fields):
    """Sun, sky, fog and waters: those that are given."""

    kind: Literal["atmosphere"] = "atmosphere"
    part, model = "atmosphere", Atmosphere
    put: Annotated[dict[str, Any], FieldsOf(Atmosphere)]


class SetDrawing(_Fields):
    """How the level is drawn: the settings that are given."""

    kind: Literal["drawing"] = "drawing"
    part, model = "drawing", DrawingSettings
    put: Annotated[dict[str, Any], FieldsOf(DrawingSettings)]


class SetWind(_Fields):
    """The wind: the settings that are given."""

    kind: Literal["wind"] = "wind"
    part, model = "wind", WindSettings
    put: Annotated[dict[str, Any], FieldsOf(WindSettings)]


class SetPlots(_Fields):
    """Plots, who is held to them, and open requests for shares: those that are given."""

    kind: Literal["plots"] = "plots"
    part, model = "plots", Plots
    put: Annotated[dict[str, Any], FieldsOf(Plots)]


class SetMarks(_Fields):
    """The budget marks of one tier: those that are given."""

    kind: Literal["marks"] = "marks"
    part, model = "marks", Marks
    tier: Name
    put: Annotated[dict[str, Any], FieldsOf(Marks)]

    def _now(self, level: Level) -> dict[str, Any]:
        tiers = view_of(level).get("tiers") or {}
        if self.tier not in tiers:
            raise Missing(f"tier: {level.name} has no tier {self.tier[:60]!r}; somebody may have removed it")
        return dict(tiers[self.tier]["marks"])

    def _put(self, level: Level, fields: dict[str, Any]) -> Level:
        tiers = view_of(level)["tiers"]
        return with_view(level, tiers={**tiers, self.tier: {**tiers[self.tier], "marks": fields}})


class _Named(Edit):
    """Things of one part of the level's view put and, where they are None, removed, by name. `expected`,
    where it is given, is what must be there until then; `order` says where what is put back has its
    place."""

    part: ClassVar[str]
    thing: ClassVar[str]
    sparse: ClassVar[bool] = False
    """Whether just what is set of a thing is kept."""
    put: dict[str, Any]
    expected: dict[str, Any] | None = None
    order: tuple[str, ...] = ()

    def _have(self, level: Level) -> dict[str, Any]:
        return dict(view_of(level).get(self.part) or {})

    def _with(self, level: Level, things: dict[str, Any]) -> Level:
        raise NotImplementedError

    def _put(self) -> dict[str, Any]:
        return {
            name: value and value.model_dump(mode="json", exclude_unset=self.sparse)
            for name, value in self.put.items()
        }

    def apply(self, level: Level) -> Level:
        have = self._have(level)
        for name, value in self.put.items():
            if self.expected is not None and name in self.expected:
                check_as_before(f"The {self.thing} {name!r}", have.get(name), self.expected[name])
            elif self.expected is None and value is None and name not in have:
                raise Missing(
                    f"name: {level.name} has no {self.thing} {name[:60]!r}; somebody may have removed it"
                )
        return self._with(level, changed(have, self._put(), self.order))

    def inverse(self, level: Level) -> Edit:
        have = self._have(level)
        return type(self).model_validate(
            {
                "put": {name: have.get(name) for name in self.put},
                "expected": self._put(),
                "order": tuple(have),
            }
        )


class ChangeTiers(_Named):
    """Tiers put, and removed, by name."""

    kind: Literal["tiers"] = "tiers"
    part, thing = "tiers", "tier"
    put: dict[Name, Tier | None]

    def _with(self, level: Level, things: dict[str, Any]) -> Level:
        checked(Tiers, things)
        return with_view(level, tiers=things)


class ChangeWalks(_Named):
    """Walks put, and removed, by name."""

    kind: Literal["walks"] = "walks"
    part, thing = "walks", "walk"
    put: dict[Name, Walk | None]

    def _with(self, level: Level, things: dict[str, Any]) -> Level:
        checked(Walks, things)
        return with_view(level, walks=things)


class ChangeRecipes(_Named):
    """Recipes for handovers put, and removed, by name."""

    kind: Literal["recipes"] = "recipes"
    part, thing = "recipes", "recipe"
    put: dict[Name, Recipe | None]

    def _with(self, level: Level, things: dict[str, Any]) -> Level:
        checked(Recipes, things)
        return with_view(level, recipes=things)


class ChangeViews(_Named):
    """Views kept, and removed, by name."""

    kind: Literal["views"] = "views"
    part, thing, sparse = "bookmarks", "view", True
    put: dict[Name, SavedView | None]

    def _have(self, level: Level) -> dict[str, Any]:
        return {view["name"]: view for view in view_of(level).get(self.part) or []}

    def _with(self, level: Level, things: dict[str, Any]) -> Level:
        if len(things) > VIEWS:
            raise Refused(f"name: a level keeps at most {VIEWS} views; remove one first")
        return with_view(level, bookmarks=list(things.values()))


class ChangeLayerLooks(_Named):
    """How ground layers are drawn, by the layer's name; None for what follows from the name itself.
    `textures`: the pictures that this needs and the level does not have, PNG, by digest."""

    kind: Literal["looks"] = "looks"
    part, thing, sparse = "layers", "appearance of", True
    put: dict[LayerName, LayerAppearance | None]
    textures: dict[str, Blob] = {}

    def _have(self, level: Level) -> dict[str, Any]:
        return {given["name"]: given for given in view_of(level).get(self.part) or []}

    def _with(self, level: Level, things: dict[str, Any]) -> Level:
        strange = things.keys() - set(level.layers.names)
        if strange:
            raise Missing(f"name: {level.name} has no ground layer {min(strange)[:60]!r}")
        have = {**level.details.get("textures", {}), **self.textures}
        used = {given["texture"] for given in things.values() if given.get("texture")}
        if used - have.keys():
            raise Refused(f"texture: there is no picture {min(used - have.keys())} for it")
        level = with_view(level, layers=list(things.values()))
        return replace(
            level, details={**level.details, "textures": {k: v for k, v in have.items() if k in used}}
        )

    def inverse(self, level: Level) -> Edit:
        back = super().inverse(level)
        # A layer for which nothing was chosen is drawn as its name says, which may be read either way.
        chosen = {name: look for name, look in self._put().items() if look}
        back = back.model_copy(update={"expected": chosen})
        have = level.details.get("textures", {})
        wanted = {v.texture for v in back.put.values() if v and v.texture}  # type: ignore[attr-defined]
        return back.model_copy(update={"textures": {k: have[k] for k in sorted(wanted)}})
