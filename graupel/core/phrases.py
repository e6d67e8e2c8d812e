"""The shop window's own words, by language; where a language is not known here, English stands."""

from typing import Any

_PHRASES: dict[str, dict[str, str]] = {
    "en": {
        "yes": "Yes",
        "no": "No",
        "new_in": "New in",
        "from": "from {}",
        "in_stock": "In stock",
        "few_left": "Only {} left",
        "sold_out": "Sold out",
        "can_be_ordered": "Can be ordered; takes longer",
        "no_price": "no price yet",
        "price_range": "{} to {}",
        "brand": "Brand",
        "weight": "Weight",
        "origin_country": "Country of origin",
        "article": "Article",
        "more": "More",
        "nothing": "Nothing is for sale yet.",
        "nothing_fits": "Nothing fits what is chosen.",
        "categories": "Categories",
        "way_here": "Way here",
        "below": "Categories below",
        "filters": "Narrow down",
        "clear": "Clear",
        "language": "Language",
        "listen": "Listen",
        "watch": "Watch",
        "model": "3D model",
        "video": "Video",
        "look_closer": "Look closer",
        "description": "Description",
    },
    "de": {
        "yes": "Ja",
        "no": "Nein",
        "new_in": "Neu eingetroffen",
        "from": "ab {}",
        "in_stock": "Auf Lager",
        "few_left": "Nur noch {} auf Lager",
        "sold_out": "Ausverkauft",
        "can_be_ordered": "Bestellbar, mit längerer Lieferzeit",
        "no_price": "noch kein Preis",
        "price_range": "{} bis {}",
        "brand": "Marke",
        "weight": "Gewicht",
        "origin_country": "Herkunftsland",
        "article": "Artikel",
        "more": "Mehr",
        "nothing": "Hier gibt es noch nichts zu kaufen.",
        "nothing_fits": "Nichts passt zu dieser Auswahl.",
        "categories": "Kategorien",
        "way_here": "Weg hierher",
        "below": "Unterkategorien",
        "filters": "Eingrenzen",
        "clear": "Zurücksetzen",
        "language": "Sprache",
        "listen": "Anhören",
        "watch": "Ansehen",
        "model": "3D-Modell",
        "video": "Video",
        "look_closer": "Näher ansehen",
        "description": "Beschreibung",
    },
}


def phrase(key: str, lang: str, *values: Any) -> str:
    """A phrase in a language ("de", "de-AT"), with values in its places. Raises KeyError for one that is not there."""
    found = _PHRASES.get(lang.partition("-")[0].partition("_")[0], _PHRASES["en"])
    return found[key].format(*values)
