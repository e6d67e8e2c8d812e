"""Measures are read in the units of a region, unless the merchant fixed one."""

import pytest

from graupel.core import units


@pytest.mark.parametrize(
    ("written", "family", "unit", "locale", "fixed", "read"),
    [
        ("86 °F", "temperature", "°C", "de", False, "30 °C"),
        ("86 °F", "temperature", "°C", "en", False, "30 °C"),
        ("86 °F", "temperature", "°F", "de", False, "30 °C"),
        ("30 °C", "temperature", "°C", "en_US", False, "86 °F"),
        ("86 °F", "temperature", "°F", "de", True, "86 °F"),
        ("30 °C", "temperature", "°C", "en_US", True, "30 °C"),
        ("4 in", "length", "mm", "de", False, "102 mm"),
        ("4 in", "length", "in", "de", False, "10,2 cm"),
        ("100 g", "weight", "g", "en_US", False, "3.53 oz"),
        ("100 g", "weight", "g", "de_AT", False, "100 g"),
        ("12.34 m", "length", "mm", "fr", False, "12,34 m"),
        ("3 dozen", "count", "", "en_US", False, "3 dozen"),
    ],
)
def test_a_measure_is_read_as_it_is_measured_there(written, family, unit, locale, fixed, read):
    kind = units.FAMILIES[family]
    quantity = units.parse(written, kind, unit)
    shown = units.show_for(quantity, kind, unit, locale, fixed=fixed)
    assert "".join(shown.split()) == "".join(read.split())
