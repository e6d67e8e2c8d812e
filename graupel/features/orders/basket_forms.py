"""What a buyer's form says beside an article: how many, how much, what was chosen; and answers as they are kept."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from graupel.core import choice_answers, languages
from graupel.core.choices import Answer, Answers, Choice, Kind
from graupel.core.ordering import MOST_ORDERED
from graupel.core.phrases import phrase
from graupel.core.price_rules import rounded
from graupel.core.problems import Problem
from graupel.features.orders import buyer_files
from graupel.web import formats


def kept(answers: Answers) -> str:
    """Answers as JSON."""
    return json.dumps(
        {
            str(key): {"picked": {str(k): n for k, n in one.picked.items()}, "text": one.text, "size": one.file_size}
            | ({"kept_as": one.kept_as} if one.kept_as else {})
            for key, one in sorted(answers.items())
        },
        sort_keys=True,
    )


def answers_of(text: str) -> dict[int, Answer]:
    """The same again."""
    return {
        int(key): Answer(
            {int(k): n for k, n in one["picked"].items()}, one["text"], one["size"], one.get("kept_as", "")
        )
        for key, one in json.loads(text).items()
    }


@dataclass(frozen=True)
class Handed:
    """A file as it came with a form."""

    name: str
    content: bytes


def answers_with(asked: Sequence[Choice], raw: Mapping[str, Sequence[str]], files: Mapping[int, Handed]) -> Answers:
    """What a form answers, files among it."""
    found = choice_answers.read(asked, raw)
    ids = {one.id for one in asked if one.kind is Kind.FILE}
    found = {key: one for key, one in found.items() if key not in ids}
    return found | {key: Answer(text=one.name, file_size=len(one.content)) for key, one in files.items() if key in ids}


def said_wrong(
    asked: Sequence[Choice], answers: Answers, wrong: Mapping[int, choice_answers.Wrong], lang: str
) -> list[Problem]:
    """What is wrong with answers, in the words of a language or those of the merchant."""
    by_id = {one.id: one for one in asked}

    def sentence(key: int, words: str, values: Sequence[str]) -> str:
        return choice_answers.own_sentence(by_id[key], answers) or phrase(
            words, lang, *(_day(one, lang) for one in values)
        )

    return [Problem("choice.answer", sentence(key, *what), f"c{key}") for key, what in wrong.items()]


def _day(text: str, lang: str) -> str:
    """A day as people of a language write it; anything else as it is."""
    day = choice_answers.day_of(text)
    return formats.date_of(day, languages.locale(lang)) if day else text


def too_large(asked: Sequence[Choice], files: Mapping[int, Handed], lang: str) -> list[Problem]:
    """The files that are too large, where their choice does not say how large one may be."""
    most = buyer_files.MOST_MEGABYTES
    unsaid = {one.id for one in asked if one.limits.megabytes is None}
    return [
        Problem("choice.answer", phrase("At most {} MB, please.", lang, f"{most}"), f"c{key}")
        for key, one in files.items()
        if key in unsaid and len(one.content) > most * 1024 * 1024
    ]


def read_quantity(text: str) -> Decimal | None:
    """How many, as a buyer types it: a number above 0 with two decimals at most."""
    found = choice_answers.number_of(text)
    if found is None or not 0 < found <= MOST_ORDERED or int(found.normalize().as_tuple().exponent) < -2:
        return None
    return found


def read_pays(text: str, decimals: int) -> Decimal | None:
    """How much a buyer wants to pay for a piece, as it is typed, "" for no more than is asked: in the currency's
    decimals. Raises ValueError where it can't be read."""
    if not text.strip():
        return None
    found = choice_answers.number_of(text)
    if found is None or not 0 <= found <= MOST_ORDERED:
        raise ValueError(text)
    return rounded(found, decimals)
