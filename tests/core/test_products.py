"""What is typed about a product, and rich text."""

from html.parser import HTMLParser
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import colours, product_fields, products, richtext
from graupel.core.errors import Refused
from graupel.core.products import ProductValues, Status


def test_everything_that_is_wrong_is_said_at_once_and_the_rest_is_read():
    start = ProductValues(name="Old name", sku="OLD-1")
    reading = product_fields.read(
        {"name": " New \n name ", "price": "abc", "weight_g": "1 stone", "gtin": "95212345678"}, "EUR", start
    )
    assert reading.values.name == "New name"
    assert reading.values.sku == "OLD-1"
    assert {problem.field for problem in reading.problems} == {"price", "weight_g", "gtin"}


def test_a_name_of_more_characters_than_a_list_can_show_is_refused_with_the_number():
    reading = product_fields.read({"name": "x" * 500}, "EUR")
    assert "500" in reading.problems[0].message


def test_a_draft_needs_a_name_and_a_live_product_a_price_and_a_category_too():
    assert {p.field for p in products.problems_of(ProductValues())} == {"name"}
    live = ProductValues(name="A", sku="A", status=Status.LIVE)
    assert {p.field for p in products.problems_of(live)} == {"price", "category_id"}
    assert {p.field for p in products.problems_of(live, unpriced=0)} == {"category_id"}
    assert "2 variants have no price" in products.problems_of(live, unpriced=2)[0].message


@pytest.mark.parametrize("name", ["سجادة صوف", "Ȩ̃lsa", "🧶 yarn", "<b>Bold</b> & co"])
def test_a_name_may_hold_any_script_and_any_sign(name):
    assert product_fields.parse_name(name) == name


@pytest.mark.parametrize(
    ("markup", "cleaned"),
    [
        ("<p onclick='x()'>Wool</p><script>alert(1)</script>", "<p>Wool</p>"),
        ("<a href='javascript:x()'>a</a>", "a"),
        ("<h1>Big</h1><iframe src='x'></iframe>", "<h2>Big</h2>"),
        ("<p></p>", ""),
        ("2 < 3", "<p>2 &lt; 3</p>"),
        ("one\ntwo\n\nthree", "<p>one<br>two</p><p>three</p>"),
        ("<img src=x onerror=y>", ""),
        ("<p><span style='font-weight:700; font-size:30px'>Soft</span> wool</p>", "<p><strong>Soft</strong> wool</p>"),
        ("<b style='font-weight:normal'><p>All</p></b>", "<p>All</p>"),
        ("<p style='text-align: center; font-style:italic'>A</p>", '<p class="to-centre"><em>A</em></p>'),
        ("<p align=right>A</p>", '<p class="to-right">A</p>'),
        ("<font color=red>Sale</font> &amp; more", '<span class="in-rowan">Sale</span> &amp; more'),
        ("<p style='color:#222'>Ink</p>", "<p>Ink</p>"),
        ("<span class='in-rowan evil'>a</span>", '<span class="in-rowan">a</span>'),
        ("<span class='evil'>a</span>", "a"),
        ("<iframe src='https://a.example/1' onload=x></iframe>", '<iframe src="https://a.example/1"></iframe>'),
        ("<p>a<iframe src='http://films.example/1'></iframe></p>", "<p>a</p>"),
    ],
)
def test_rich_text_keeps_what_says_something_and_drops_what_could_do_harm(markup, cleaned):
    assert richtext.clean(markup) == cleaned


def test_pasted_styles_are_read_once_and_stay_as_they_are():
    pasted = "<p style='color: rgb(200, 30, 30)'><span style='text-decoration: underline'>a</span> <b>b</b></p>"
    kept = richtext.clean(pasted)
    assert kept == '<p><span class="in-rowan"><u>a</u> <strong>b</strong></span></p>'
    assert richtext.clean(kept) == kept


@pytest.mark.parametrize("name", colours.TEXT)
def test_every_colour_of_text_can_be_read(name):
    for page in (colours.PAGE, "#F4F6F4"):
        assert colours.contrast(colours.TEXT[name], page) >= colours.LEAST_CONTRAST
    style = f".in-{name} {{ color: {colours.TEXT[name]}; }}"
    assert style in (Path(richtext.__file__).parents[1] / "web/static/app.css").read_text()


@given(st.tuples(*3 * [st.integers(0, 255)]))
def test_any_pasted_colour_becomes_ink_or_one_that_can_be_read(parts):
    found = colours.nearest(f"rgb{parts}")
    assert found is None or colours.contrast(colours.TEXT[found], colours.PAGE) >= colours.LEAST_CONTRAST
    assert colours.contrast("#{:02x}{:02x}{:02x}".format(*parts), colours.PAGE) >= 1


def test_what_is_embedded_is_shown_from_the_allowed_hosts_and_a_link_to_others():
    kept = '<p>a</p><iframe src="https://films.example/1" title="Winding"></iframe>'
    assert '<iframe src="https://films.example/1" title="Winding" loading' in richtext.shown(kept, {"films.example"})
    for hosts in ((), {"example"}, {"other.example"}):
        assert richtext.shown(kept, hosts) == (
            '<p>a</p><a href="https://films.example/1" rel="noopener nofollow">Winding</a>'
        )
    assert richtext.host_of("https://films.example@evil.example/") == ""


def test_pictures_from_elsewhere_are_counted():
    assert richtext.outside_pictures('<img src="https://a.example/x.png"><IMG alt=b src=/media/1/page><img src=y>') == 2


class Seen(HTMLParser):
    """The elements and attributes of some HTML."""

    def __init__(self, text):
        super().__init__()
        self.found = set()
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        self.found |= {(tag, name) for name, _ in attrs} | {(tag, None)}
        assert not any((value or "").startswith("javascript:") for _, value in attrs)


pieces = st.sampled_from(
    [
        "<p>",
        "</p>",
        "<b onclick=x>",
        "<script>",
        "</script>",
        "<img src=x onerror=y>",
        "<a href='javascript:x'>",
        "<a href=http://e.example>",
        "</a>",
        "<",
        ">",
        "wool & linen",
        '"',
        "<style>",
        "<td rowspan=2 style=x>",
        "\n\n",
    ]
)


@given(st.lists(pieces, max_size=12).map("".join))
def test_whatever_comes_in_only_what_is_on_the_list_goes_out(text):
    for tag, attribute in Seen(richtext.clean(text)).found:
        assert tag in richtext.ALLOWED
        assert attribute is None or attribute in richtext.ALLOWED[tag] | {"rel"}


@pytest.mark.parametrize(
    ("text", "on"),
    [("yes", True), ("On", True), (" TRUE ", True), ("ja", True), ("no", False), ("0", False), ("", False)],
)
def test_a_switch_is_read_as_people_write_it(text, on):
    assert product_fields.parse_switch(text) is on


def test_a_switch_that_says_neither_is_refused():
    with pytest.raises(Refused, match="neither yes nor no"):
        product_fields.parse_switch("perhaps")


@pytest.mark.parametrize(
    ("typed", "leads"),
    [
        ("https://e.example/a?b", "https://e.example/a?b"), ("e.example/care", "https://e.example/care"),
        ("wolle-färben.example", "https://wolle-färben.example"), ("/shop/p/12", "/shop/p/12"), ("#care", "#care"),
        ("us@e.example", "mailto:us@e.example"), ("//evil.example", None), ("/\\evil.example", None),
        ("javascript:alert(1)", None), ("data:text/html,x", None), ("two words", None), ("", None),
    ],
)  # fmt: skip
def test_a_link_leads_where_it_was_meant_to_and_nowhere_else(typed, leads):
    assert richtext.link_address(typed) == leads
    kept = richtext.clean(f'<p><a href="{typed}">here</a></p>')
    assert ("href" in kept) is (leads is not None)
    assert "here" in kept


def test_what_says_the_same_as_one_of_ours_is_kept():
    pasted = "<h1 class=x>Care</h1><p><b>By <i>hand</i></b><del>no</del></p><hr><h6>End</h6><br><big>all</big>"
    assert richtext.clean(pasted) == (
        "<h2>Care</h2><p><strong>By <em>hand</em></strong><s>no</s></p><hr><h4>End</h4><br>all"
    )


def test_search_words_stand_there_once_and_a_note_keeps_its_lines():
    read = product_fields.readers("EUR")
    assert read["search_words"](" jumper  wool,worsted , jumper wool,,") == "jumper wool, worsted"
    assert read["sent_note"](" Wash it.\r\n\x00Dry it flat.  \r\n\r\n") == "Wash it.\nDry it flat."
    for name, most in (("search_words", 300), ("sent_note", 1000)):
        assert len(read[name]("x" * most)) == most
        with pytest.raises(Refused):
            read[name]("x" * (most + 1))
