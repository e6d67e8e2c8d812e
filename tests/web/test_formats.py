"""Numbers, amounts, weights and times in the words of a language."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from graupel.web import formats


@pytest.mark.parametrize(
    ("said", "english", "german"),
    [
        (lambda locale: formats.number(1234567, locale), "1,234,567", "1.234.567"),
        (lambda locale: formats.amount(Decimal("1234.5"), locale), "1234.50", "1.234,50"),
        (lambda locale: formats.amount(None, locale), "", ""),
        (lambda locale: formats.weight(1250, locale), "1.25 kg", "1,25 kg"),
        (lambda locale: formats.weight(None, locale), "", ""),
        (lambda locale: formats.ago(None, locale), "", ""),
    ],
)
def test_the_same_value_in_english_and_german(said, english, german):
    assert (said("en"), said("de")) == (english, german)


def test_times_are_told_in_the_shops_zone_and_how_long_ago():
    noon = datetime(2026, 7, 1, 10, 0)  # in UTC, as the database has it
    assert formats.when(noon, ZoneInfo("Europe/Berlin"), "en") == "1 Jul 2026, 12:00"
    assert formats.when(None, ZoneInfo("Europe/Berlin"), "en") == ""
    assert formats.ago(datetime.now(UTC) - timedelta(seconds=5), "en") == "just now"
    assert formats.ago(datetime.now(UTC) - timedelta(hours=3), "en") == "3 hours ago"
    assert formats.ago(datetime.now(UTC) - timedelta(days=2), "de") == "vor 2 Tagen"


@pytest.mark.parametrize(("count", "said"), [(0, "1 kB"), (999, "1 kB"), (45_600, "46 kB"), (1_250_000, "1.2 MB")])
def test_sizes_are_told_in_round_units(count, said):
    assert formats.size(count) == said
