"""What buyers answer to choices: read from a form, and held against what a choice allows."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal

from graupel.core.choices import UNSAID, Answer, Answers, Choice, Kind, Limits, asked

#: Longer than this nothing is taken, whatever a choice allows.
LINE_LENGTH, TEXT_LENGTH = 200, 2000


def read(choices: Sequence[Choice], raw: Mapping[str, Sequence[str]]) -> dict[int, Answer]:
    """Answers from a form: "c7" holds ids of entries or a text, "c7-31" how many of one. What is odd is left out."""
    found = {}
    for one in choices:
        said = [text for text in raw.get(f"c{one.id}", ()) if text.strip()]
        if one.kind is Kind.AMOUNTS:
            picked = {entry.id: _count(raw.get(f"c{one.id}-{entry.id}", ())) for entry in one.entries}
            answer = Answer({key: count for key, count in picked.items() if count})
        elif one.is_picked:
            ids = {f"{entry.id}": entry.id for entry in one.entries}
            answer = Answer({ids[text]: 1 for text in said if text in ids})
        else:
            answer = Answer(text=said[0] if said else "")
        if answer:
            found[one.id] = answer
    return found


def _count(said: Sequence[str]) -> int:
    text = said[0].strip() if said else ""
    return int(text) if text.isascii() and text.isdigit() and len(text) < 6 else 0


#: What is wrong with an answer, as a phrase of the shop window and what stands in its places.
Wrong = tuple[str, tuple[str, ...]]


def wrong_with(choice: Choice, answer: Answer, today: date) -> Wrong | None:
    """Why an answer can't be taken; None where it can. ``today``: the shop's day."""
    if not answer:
        return ("Please choose.", ()) if choice.needed and choice.is_picked else _missing(choice)
    if choice.is_picked:
        return _wrong_pick(choice, answer)
    return _CHECKS[choice.kind](choice.limits, answer, today)


def _missing(choice: Choice) -> Wrong | None:
    return ("Please fill this in.", ()) if choice.needed else None


def _wrong_pick(choice: Choice, answer: Answer) -> Wrong | None:
    gone = [entry.label for entry in choice.entries if entry.sold_out and answer.picked.get(entry.id)]
    if gone:
        return "{} is sold out.", (gone[0],)
    if choice.kind is Kind.ONE:
        return ("Choose one only.", ()) if len(answer.picked) > 1 else None
    count = Decimal(sum(answer.picked.values()))
    if choice.limits.least is not None and count < choice.limits.least:
        return "Choose at least {}.", (f"{choice.limits.least.normalize():f}",)
    if choice.limits.most is not None and count > choice.limits.most:
        return "Choose at most {}.", (f"{choice.limits.most.normalize():f}",)
    return None


def _wrong_text(limits: Limits, answer: Answer, today: date) -> Wrong | None:
    length = len(answer.text.strip())
    if limits.least is not None and length < limits.least:
        return "At least {} signs, please.", (f"{limits.least.normalize():f}",)
    most = min(limits.most if limits.most is not None else TEXT_LENGTH, TEXT_LENGTH)
    return ("At most {} signs fit.", (f"{Decimal(most).normalize():f}",)) if length > most else None


def _wrong_line(limits: Limits, answer: Answer, today: date) -> Wrong | None:
    if len(answer.text.strip().splitlines()) > 1:
        return "One line only, please.", ()
    most = min(limits.most if limits.most is not None else Decimal(LINE_LENGTH), Decimal(LINE_LENGTH))
    return _wrong_text(replace(limits, most=most), answer, today)


def number_of(text: str) -> Decimal | None:
    """A number as a buyer writes it, "2.5" or "2,5"; None for anything else."""
    plain = text.strip().replace(",", ".")
    digits = plain.removeprefix("-").replace(".", "", 1)
    return Decimal(plain) if digits.isascii() and digits.isdigit() and len(digits) <= 12 else None


def _wrong_number(limits: Limits, answer: Answer, today: date) -> Wrong | None:
    found = number_of(answer.text)
    if found is None:
        return "A number, please, such as {}.", ("12",) if not limits.places else ("12.5",)
    if -int(found.normalize().as_tuple().exponent) > limits.places:
        return ("A whole number, please.", ()) if not limits.places else ("At most {} decimals.", (f"{limits.places}",))
    if limits.least is not None and found < limits.least:
        return "At least {}, please.", (f"{limits.least.normalize():f}",)
    if limits.most is not None and found > limits.most:
        return "At most {}, please.", (f"{limits.most.normalize():f}",)
    return None


def first_day(limits: Limits, today: date) -> date | None:
    """The first day that may be chosen."""
    soon = None if limits.ahead is None else today + timedelta(days=limits.ahead)
    return max((one for one in (limits.first, soon) if one), default=None)


def last_day(limits: Limits, today: date) -> date | None:
    """The last day that may be chosen."""
    late = None if limits.within is None else today + timedelta(days=limits.within)
    return min((one for one in (limits.last, late) if one), default=None)


def first_and_last(limits: Limits, today: date) -> tuple[str, str]:
    """The same as a field of a form has them, "" for none."""
    first, last = first_day(limits, today), last_day(limits, today)
    return first.isoformat() if first else "", last.isoformat() if last else ""


def day_of(text: str) -> date | None:
    """A day as its field sends it; None for anything else."""
    try:
        return date.fromisoformat(text.strip()) if len(text.strip()) == 10 else None
    except ValueError:
        return None


def _wrong_day(limits: Limits, answer: Answer, today: date) -> Wrong | None:
    day = day_of(answer.text)
    first, last = first_day(limits, today), last_day(limits, today)
    if day is None:
        return "A day, please, such as {}.", ((first or today).isoformat(),)
    if first and day < first:
        return "Not before {}.", (first.isoformat(),)
    if last and day > last:
        return "Not after {}.", (last.isoformat(),)
    return ("Not on this day.", ()) if day.weekday() in limits.weekdays or day in limits.days else None


def _wrong_file(limits: Limits, answer: Answer, today: date) -> Wrong | None:
    ending = answer.text.rpartition(".")[2].lower()
    if limits.kinds and ending not in limits.kinds:
        return "A file of these kinds, please: {}.", (", ".join(limits.kinds),)
    if limits.megabytes is not None and answer.file_size > limits.megabytes * 1024 * 1024:
        return "At most {} MB, please.", (f"{limits.megabytes}",)
    return ("This file is empty.", ()) if not answer.file_size else None


_CHECKS = {
    Kind.LINE: _wrong_line,
    Kind.TEXT: _wrong_text,
    Kind.NUMBER: _wrong_number,
    Kind.DAY: _wrong_day,
    Kind.FILE: _wrong_file,
}


def wrong(choices: Sequence[Choice], answers: Answers, today: date) -> dict[int, Wrong]:
    """By choice that is asked, why its answer can't be taken."""
    found = {one.id: wrong_with(one, answers.get(one.id, UNSAID), today) for one in asked(choices, answers)}
    return {key: said for key, said in found.items() if said}


def own_sentence(choice: Choice, answers: Answers) -> str:
    """What the merchant wants to be said where a choice is missing; "" where it is answered, or nothing is wanted."""
    return "" if answers.get(choice.id, UNSAID) else choice.message
