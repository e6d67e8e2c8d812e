"""The demo shop in German: whole texts, and patterns whose words are looked up. What is not here stays English."""

import re

WORDS = {
    # fibres and what things are made of
    "wool": "Wolle", "merino": "Merino", "alpaca": "Alpaka", "linen": "Leinen", "cotton": "Baumwolle",
    "silk": "Seide", "mohair": "Mohair", "polyamide": "Polyamid", "birch": "Birke", "bamboo": "Bambus",
    "steel": "Stahl", "brass": "Messing", "plum wood": "Pflaumenholz", "horn": "Horn", "shell": "Perlmutt",
    "walnut": "Walnuss",
    # goods
    "Straight needles": "Jackennadeln", "Circular needle": "Rundstricknadel", "Sock needles": "Strumpfstricknadeln",
    "Crochet hook": "Häkelnadel", "Round buttons": "Runde Knöpfe", "Square buttons": "Eckige Knöpfe",
    "Toggle buttons": "Knebelknöpfe", "Rimmed buttons": "Randknöpfe", "Four-hole buttons": "Vierlochknöpfe",
    "Leaf buttons": "Blattknöpfe", "Grosgrain ribbon": "Ripsband", "Velvet ribbon": "Samtband",
    "Satin ribbon": "Satinband", "Linen ribbon": "Leinenband", "Herringbone ribbon": "Fischgratband",
    "Picot ribbon": "Picotband", "Cable jumper": "Zopfpullover", "Lace shawl": "Spitzentuch",
    "Two-needle mittens": "Fäustlinge auf zwei Nadeln", "Child’s hat": "Kindermütze", "Ribbed socks": "Rippensocken",
    "Yoke cardigan": "Rundpassenjacke", "Moss waistcoat": "Weste im Perlmuster", "Cabled blanket": "Zopfdecke",
    "Slip-stitch cowl": "Hebemaschenschlauchschal",
    # colours
    "Heather": "Heide", "Juniper": "Wacholder", "Rust": "Rost", "Oat": "Hafer", "Peat": "Torf", "Gorse": "Ginster",
    "Slate": "Schiefer", "Foxglove": "Fingerhut", "Tarn": "Bergsee", "Bilberry": "Heidelbeere",
    "Bracken": "Adlerfarn", "Chalk": "Kreide", "Dusk": "Dämmerung", "Elder": "Holunder", "Fleece": "Vlies",
    "Hazel": "Haselnuss", "Ivy": "Efeu", "Lichen": "Flechte", "Madder": "Krapp", "Nettle": "Brennnessel",
    "Plum": "Pflaume", "Rowan": "Vogelbeere", "Sloe": "Schlehe", "Woad": "Waid",
    # choices
    "Wool": "Wolle", "Merino": "Merino", "Alpaca": "Alpaka", "Linen": "Leinen", "Cotton": "Baumwolle",
    "Silk": "Seide", "Mohair": "Mohair", "Polyamide": "Polyamid", "Birch": "Birke", "Bamboo": "Bambus",
    "Steel": "Stahl", "Brass": "Messing", "Plum wood": "Pflaumenholz", "Horn": "Horn", "Shell": "Perlmutt",
    "Walnut": "Walnuss", "Lace": "Lace", "Four-ply": "Vierfädig", "Sock": "Sockengarn", "Double knit": "Mittelstark",
    "Aran": "Aran", "Chunky": "Dickes Garn", "By hand": "Handwäsche", "Machine, wool": "Maschine, Wollgang",
    "Dry flat": "Liegend trocknen", "No bleach": "Nicht bleichen", "English": "Englisch", "German": "Deutsch",
    "First steps": "Erste Schritte", "Easy": "Leicht", "Practised": "Geübt", "Patient": "Mit Geduld",
    "Small": "Klein", "Medium": "Mittel", "Large": "Groß",
    # attributes
    "Colour": "Farbe", "Put-up": "Aufmachung", "Yarn weight": "Garnstärke", "Fibre": "Faser",
    "Metres per 100 g": "Lauflänge je 100 g", "Wash at": "Waschen bei", "Care": "Pflege",
    "Dyed by hand": "Handgefärbt", "Needle size": "Nadelstärke", "Needle length": "Nadellänge",
    "Material": "Material", "Width": "Breite", "Across": "Durchmesser", "Language": "Sprache",
    "Level": "Schwierigkeit", "Pages": "Seiten", "First printed": "Erstausgabe", "Garment size": "Kleidergröße",
    "Notes for cutting": "Hinweise zum Zuschneiden",
    # categories
    "Yarn": "Garne", "Notions": "Kurzwaren", "Buttons": "Knöpfe", "Ribbon": "Bänder", "Patterns": "Strickanleitungen",
    "Kits": "Strickpakete", "Workshops": "Färbekurse", "Needles": "Stricknadeln", "Straight": "Jackennadeln",
    "Circular": "Rundstricknadeln", "Double-pointed": "Strumpfstricknadeln", "Hooks": "Häkelnadeln",
    "Gauges": "Nadelmaße", "Summer yarns": "Sommergarne", "Under ten euro": "Unter zehn Euro",
    "Ribbon ends": "Bandreste", "Main navigation": "Hauptnavigation", "Foot of the page": "Seitenfuß",
    "The shop": "Der Laden", "Service": "Service", "Dye days": "Färbetage", "Needle gauge": "Nadelmaß",
    "New in": "Neu eingetroffen", "Gifts": "Geschenke", "About us": "Über uns", "Care of wool": "Wolle pflegen",
    "A skein as it leaves our yard": "Ein Strang, wie er unseren Hof verlässt",
}  # fmt: skip
_FIBRES = r"(\w+)(?: and (\w+))?"
_KINDS = {
    "An aran": "Ein Garn in Aranstärke", "A lace": "Ein Lacegarn", "A sock": "Ein Sockengarn",
    "A chunky": "Ein dickes Garn", "A four-ply": "Ein vierfädiges Garn", "A double knit": "Ein mittelstarkes Garn",
}  # fmt: skip

WHOLE = {
    # choices
    "Shall we wind it?": "Sollen wir wickeln?",
    "A skein has to be wound before you knit; a ball can be used at once.": "Ein Strang muss vor dem Stricken gewickelt werden; ein Knäuel ist sofort bereit.",
    "Leave the skein": "Als Strang lassen",
    "Wind a ball": "Zum Knäuel wickeln",
    "Is it a present?": "Ist es ein Geschenk?",
    "Goes well with": "Passt gut dazu",
    "Finer still": "Noch feiner",
    "Accessories": "Zubehör",
    "Spare parts": "Ersatzteile",
    "Comes in its place": "Stattdessen",
    "Completes the set": "Macht es vollständig",
    "Errata": "Berichtigungen",
    "Casting on, a film": "Anschlagen, ein Film",
    "We use paper from old patterns.": "Wir nehmen Papier alter Muster.",
    "No, thank you": "Nein, danke",
    "Wrapped in paper": "In Papier",
    "In a box": "In einer Schachtel",
    "In a tin": "In einer Dose",
    "Which ribbon?": "Welches Band?",
    "Your words on the card": "Ihre Worte auf der Karte",
    "A few more buttons?": "Noch ein paar Knöpfe?",
    "When will you come?": "Wann kommen Sie?",
    "Choose the day on which you will come.": "Wählen Sie den Tag, an dem Sie kommen.",
    "What will you bring?": "Was bringen Sie mit?",
    "A fleece of my own": "Ein eigenes Vlies",
    "An apron": "Eine Schürze",
    "Gloves": "Handschuhe",
    "A picture of your swatch": "Ein Bild Ihrer Maschenprobe",
    "So that we can look at it before you come.": "Damit wir sie vorher ansehen können.",
    "Your chest, in cm": "Ihre Brustweite in cm",
    "Initials on the needles": "Initialen auf den Nadeln",
    "Knits up evenly, also in the round": "Ebenmäßiges Maschenbild, auch in Runden",
    "Mended more easily than replaced": "Leichter gestopft als ersetzt",
    "Charts and written rows": "Mit Strickschriften und ausgeschriebenen Reihen",
    "All sizes in one booklet": "Alle Größen in einem Heft",
    "Sizes burnt in": "Stärke eingebrannt",
    "Waxed, not varnished": "Gewachst statt lackiert",
    "<p>A printed booklet of twelve to twenty pages with charts, all sizes, and a list of the yarns in it. The charts "
    "are large enough to be read by lamplight.</p>": "<p>Ein gedrucktes Heft von zwölf bis zwanzig Seiten mit "
    "Strickschriften, allen Größen und einer Liste der verwendeten Garne. Die Strickschriften sind groß genug, um auch "
    "bei Lampenlicht gelesen zu werden.</p>",
    "A dye pot with yarn hanging over it": "Ein Färbetopf, über dem Garn hängt",
    "The name on the label.": "Der Name auf der Banderole.",
    "How thick the thread is.": "Wie dick der Faden ist.",
    "All that is in it.": "Alles, was darin ist.",
}


def _both(first: str, second: str | None) -> str:
    """Fibres in German: "Wolle und Leinen". Raises KeyError for a word that is not known."""
    return WORDS[first] + (f" und {WORDS[second]}" if second else "")


def _yarn(m: re.Match[str]) -> str:
    return f"{m[1]}, Garn aus {_both(m[2], m[3])}"


_PATTERNS = [
    (re.compile(rf"(.+), {_FIBRES} yarn"), _yarn),
    (
        re.compile(rf"({'|'.join(_KINDS)}) yarn of {_FIBRES}, (\d+) metres to 100 grams\."),
        lambda m: f"{_KINDS[m[1]]} aus {_both(m[2], m[3])}, {m[4]} Meter auf 100 Gramm.",
    ),
    (re.compile(r"(\d+) metres to 100 grams"), lambda m: f"{m[1]} Meter auf 100 Gramm"),
    (
        re.compile(
            rf"<p>(.+) is spun of {_FIBRES} for garments .*?<li>(\d+) metres to 100 grams</li>.*?<td>(\d+)</td>"
            r".*?<td>(\d+)</td>.*",
            re.DOTALL,
        ),
        lambda m: (
            f"<p>{m[1]} wird aus {_both(m[2], m[3])} gesponnen, für Kleidung, die jahrelang getragen und ein-, zweimal "
            "gestopft wird. Der Faden ist rund und hält seine Drehung, sodass Zöpfe plastisch hervortreten und "
            "Lochmuster offen bleiben.</p><h3>Bevor Sie anfangen</h3><ul><li>Eine Maschenprobe stricken und "
            f"waschen</li><li>{m[4]} Meter auf 100 Gramm</li><li>Stränge einer Partie gehören in ein "
            "Kleidungsstück</li></ul><table><thead><tr><th>Nadeln</th><th>Maschen auf 10 cm</th></tr></thead><tbody>"
            f"<tr><td>eine Stärke feiner</td><td>{m[5]}</td></tr><tr><td>wie auf der Banderole</td><td>{m[6]}</td></tr>"
            "</tbody></table>"
        ),
    ),
    (
        re.compile(r"(Straight needles|Circular needle|Sock needles|Crochet hook)(?:, five)?, ([a-z ]+)(, \w.*)?"),
        lambda m: f"{WORDS[m[1]]} aus {WORDS[m[2]]}{m[3] or ''}",
    ),
    (
        re.compile(r"(Straight needles|Circular needle|Sock needles|Crochet hook)(?:, five)? of ([a-z ]+), with fine .*"),
        lambda m: f"{WORDS[m[1]]} aus {WORDS[m[2]]}, mit feinen Spitzen und ohne Naht, an der der Faden hängen bleibt.",
    ),
    (
        re.compile(r"(\w[\w-]* buttons), (\w+)(, polished)?, card of six"),
        lambda m: f"{WORDS[m[1]]} aus {WORDS[m[2]]}{', poliert' if m[3] else ''}, Karte mit sechs Stück",
    ),
    (
        re.compile(r"(\w[\w-]* buttons) of (\w+), six on a card\."),
        lambda m: f"{WORDS[m[1]]} aus {WORDS[m[2]]}, sechs auf einer Karte.",
    ),
    (
        re.compile(r"<p>(\w[\w-]* buttons) of (\w+): each a little .*"),
        lambda m: (
            f"<p>{WORDS[m[1]]} aus {WORDS[m[2]]}: jeder ein wenig anders als der nächste, mit zwei oder vier Löchern "
            "angenäht. Als Karte mit sechs Stück, einer davon als Reserve.</p>"
        ),
    ),
    (re.compile(r"(\w+ ribbon), (\d+ mm), by the metre"), lambda m: f"{WORDS[m[1]]}, {m[2]}, Meterware"),
    (
        re.compile(r"(\w+ ribbon) of (\d+ mm), cut to the metre you need\."),
        lambda m: f"{WORDS[m[1]]}, {m[2]} breit, auf den gewünschten Meter geschnitten.",
    ),
    (
        re.compile(r"(.+) (“.+”), pattern booklet, the pattern as PDF"),
        lambda m: f"{WORDS[m[1]]} {m[2]}, die Anleitung als PDF",
    ),
    (re.compile(r"(.+) (“.+”), pattern booklet"), lambda m: f"{WORDS[m[1]]} {m[2]}, Strickanleitung"),
    (
        re.compile(r"A printed booklet for the (.+) (“.+”), with charts\."),
        lambda m: f"Ein gedrucktes Heft für {WORDS[m[1][0].upper() + m[1][1:]]} {m[2]}, mit Strickschriften.",
    ),
    (
        re.compile(r"Skein of (.+) in the colour (\w+)"),
        lambda m: f"Strang {m[1]} in der Farbe {WORDS[m[2]]}",
    ),
    (re.compile(r"Cover of the booklet (.+)"), lambda m: f"Titelseite des Heftes {m[1]}"),
    (re.compile(r"(\w[\w-]* buttons) of (\w+) seen from above"), lambda m: f"{WORDS[m[1]]} aus {WORDS[m[2]]} von oben"),
    (re.compile(r"(\d+)(\.\d+)? (mm|cm|g)"), lambda m: f"{m[1]}{(m[2] or '').replace('.', ',')} {m[3]}"),
]  # fmt: skip


def german(text: str) -> str:
    """The text in German, "" where nobody has translated it yet."""
    if text in WHOLE or text in WORDS:
        return WHOLE.get(text) or WORDS.get(text, "")
    if "\n" in text:  # key points: all of them or none
        lines = [german(line) for line in text.split("\n")]
        return "\n".join(lines) if all(lines) else ""
    for pattern, said in _PATTERNS:
        if found := pattern.fullmatch(text):
            try:
                return said(found).replace("“", "„").replace("”", "“")
            except KeyError:
                return ""
    return ""
