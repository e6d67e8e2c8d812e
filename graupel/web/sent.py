"""What forms send and addresses ask, as schemas: the shape of each value is checked before a service sees it.

A schema is a Pydantic model, named after what is sent; pages take one in place of the raw form. What people type stays
text here: core reads it, and says beside its field what is wrong. What pages of ours fill in by themselves (ids,
versions, choices from a list) is read here, so that whatever else is sent is refused in a sentence.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Self, TypeVar

from fastapi import Depends, Request
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, ValidationError
from pydantic_core import PydanticCustomError
from starlette.datastructures import FormData, QueryParams, UploadFile

from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.sent import read_json
from graupel.core.typed import number
from graupel.web.security import Form

_Multi = FormData | QueryParams
_MOST_MARKS = 200_000


# --- how values are gathered ---------------------------------------------------------------------------------


@dataclass(frozen=True)
class Several:
    """All values under a name, in their order. Without it the last one counts."""

    def gather(self, sent: _Multi, name: str) -> Any:
        return sent.getlist(name) if name in sent else None


@dataclass(frozen=True)
class Named:
    """The fields whose names begin with ``prefix``, by the rest of their names; ``several``: with all their values."""

    prefix: str
    several: bool = False

    def gather(self, sent: _Multi, name: str) -> Any:
        names = dict.fromkeys(key for key in sent if key.startswith(self.prefix))
        return {key.removeprefix(self.prefix): sent.getlist(key) if self.several else sent[key] for key in names}


@dataclass(frozen=True)
class Among:
    """Those of the ``names`` that the form has, with their values."""

    names: tuple[str, ...]

    def gather(self, sent: _Multi, name: str) -> Any:
        return {key: sent[key] for key in self.names if key in sent}


#: Of what is sent so many problems are told; a list may have thousands.
MOST_PROBLEMS = 50


class Sent(BaseModel):
    """What is sent, by the names of its fields; what a schema does not name is not read."""

    model_config = ConfigDict(frozen=True, extra="ignore", arbitrary_types_allowed=True)

    @classmethod
    def from_form(cls, form: Form) -> Self:
        """What a form sends, as a dependency of a route. Raises Refused."""
        return cls.from_sent(form, "Load the page again.")

    @classmethod
    def from_address(cls, request: Request) -> Self:
        """What an address asks, as a dependency of a route. Raises Refused."""
        return cls.from_sent(request.query_params)

    @classmethod
    def from_sent(cls, sent: _Multi, then: str = "Go back, and follow the link again.") -> Self:
        """Raises Refused, with a problem for each field; ``then``: what somebody can do."""
        found = {name: value for name, value in cls._gathered(sent) if value is not None}
        try:
            return cls.model_validate(found)
        except ValidationError as error:
            told = error.errors(include_url=False)[:MOST_PROBLEMS]
            problems = [_problem(one, cls._name(one["loc"]), then) for one in told]
            raise Refused(problems) from error

    @classmethod
    def _name(cls, loc: tuple[int | str, ...]) -> str:
        """The name under which the form has what is wrong."""
        first, *rest = map(str, loc)
        how = cls.reads().get(first)
        if isinstance(how, Among | Named) and rest:
            return (how.prefix if isinstance(how, Named) else "") + rest[0]
        return first

    @classmethod
    def _gathered(cls, sent: _Multi) -> list[tuple[str, Any]]:
        return [(name, how.gather(sent, name) if how else sent.get(name)) for name, how in cls.reads().items()]

    @classmethod
    def reads(cls) -> dict[str, Several | Named | Among | None]:
        """The names that are read, and how: for whoever tries them all."""
        return {
            info.alias or field: next((one for one in info.metadata if isinstance(one, Several | Named | Among)), None)
            for field, info in cls.model_fields.items()
        }


T = TypeVar("T")
if TYPE_CHECKING:
    FormOf = Annotated[T, None]
    QueryOf = Annotated[T, None]
else:

    class FormOf:
        """``FormOf[Schema]``: the parameter of a route that is given what the form sends."""

        def __class_getitem__(cls, schema):
            return Annotated[schema, Depends(schema.from_form)]

    class QueryOf:
        """``QueryOf[Schema]``: the parameter of a route that is given what the address asks."""

        def __class_getitem__(cls, schema):
            return Annotated[schema, Depends(schema.from_address)]


def _problem(error: Any, where: str, then: str) -> Problem:
    """What is wrong with one field, in our words."""
    what = _WORDS.get(error["type"], lambda one: str(one["msg"]))(error)
    return Problem(f"sent.{error['type']}", f"“{where[:60]}” can’t be read: {what} {then}", where)


_WORDS: dict[str, Callable[[Any], str]] = {
    "missing": lambda one: "it is missing.",
    "enum": lambda one: f"it is one of {one['ctx']['expected']}.",
    "literal_error": lambda one: f"it is one of {one['ctx']['expected']}.",
    "string_type": lambda one: "it is a text.",
    "string_pattern_mismatch": lambda one: "it is not what our page sends.",
    "greater_than_equal": lambda one: f"it is at least {one['ctx']['ge']}.",
    "date_parsing": lambda one: "it is a day such as 2026-11-30.",
    "date_from_datetime_parsing": lambda one: "it is a day such as 2026-11-30.",
    "date_from_datetime_inexact": lambda one: "it is a day such as 2026-11-30.",
}


# --- the kinds of value --------------------------------------------------------------------------------------


def _whole(value: Any) -> int:
    found = number(value) if isinstance(value, str | int) else None
    if found is None:
        raise PydanticCustomError("whole_number", "it is a whole number.")
    return found


def _blank(value: Any) -> Any:
    return None if isinstance(value, str) and not value.strip() else value


def _negative_too(value: Any) -> int:
    text = str(value)
    found = _whole(text.removeprefix("-"))
    return -found if text.startswith("-") else found


def _split(value: Any) -> list[str]:
    return str(value).replace(",", " ").replace(".", " ").split()


def _ticked(value: Any) -> bool:
    return bool(value) and value not in ("0", "no", "false")


def _json(value: Any) -> Any:
    try:
        return read_json(value)
    except (ValueError, TypeError) as error:
        raise PydanticCustomError("json", "it is not what our page sends.") from error


def _marks(value: Any) -> Any:
    if len(str(value)) > _MOST_MARKS:
        raise PydanticCustomError("json", "it is longer than what our page sends.")
    found = _json(value)
    if not isinstance(found, Mapping):
        raise PydanticCustomError("json", "it is not what our page sends.")
    return {str(name): str(mark) for name, mark in found.items()}


def one_of(known: Collection[str]) -> AfterValidator:
    """What is sent is one of these."""

    def check(value: str) -> str:
        if value not in known:
            raise PydanticCustomError("one_of", "it is none of those that can be chosen.")
        return value

    return AfterValidator(check)


#: A whole number from zero up that is no larger than any id.
Whole = Annotated[int, BeforeValidator(_whole)]
#: The same, or nothing.
MaybeWhole = Annotated[Annotated[int, BeforeValidator(_whole)] | None, BeforeValidator(_blank)]
#: A category, or a tree: that is negative.
Parent = Annotated[int, BeforeValidator(_negative_too)]
MaybeParent = Annotated[Annotated[int, BeforeValidator(_negative_too)] | None, BeforeValidator(_blank)]
#: Ids in one text: "4.12.7".
Listed = Annotated[tuple[Whole, ...], BeforeValidator(_split)]
#: Several fields of one name, each with an id, or each with a text.
Ids = Annotated[tuple[Whole, ...], Several()]
MaybeIds = Annotated[tuple[MaybeWhole, ...], Several()]
Texts = Annotated[tuple[str, ...], Several()]
#: A box to tick: that it is sent at all says yes.
Ticked = Annotated[bool, BeforeValidator(_ticked)]
#: One of a list, or nothing.
Maybe = Annotated[T | None, BeforeValidator(_blank)]
#: What our page wrote as JSON: put before the type that it is then.
AS_JSON = BeforeValidator(_json)
#: Marks of what a page showed (web/marks.py).
Marks = Annotated[dict[str, str] | None, BeforeValidator(_marks)]
#: A search as it is typed.
Search = Annotated[str, BeforeValidator(lambda value: str(value).strip()[:100])]


def _file(value: Any) -> UploadFile | None:
    return value if isinstance(value, UploadFile) and value.filename else None


#: The file that came in a field; none where none was chosen.
File = Annotated[UploadFile | None, BeforeValidator(_file)]


def rows_of(names: Sequence[str], columns: Sequence[Sequence[str]]) -> list[dict[str, str]]:
    """A row each of what a form sent as columns; those in which nothing was typed are left out."""
    found = (dict(zip(names, row, strict=True)) for row in zip(*columns, strict=False))
    return [row for row in found if any(text.strip() for text in row.values())]
