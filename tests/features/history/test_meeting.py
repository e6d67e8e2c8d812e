"""Two people on the page of one record: what each changed is kept, and what both changed is said to the later one."""

from html.parser import HTMLParser

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM, Role
from graupel.features.categories import service as categories
from graupel.features.destinations import shops
from graupel.features.media import service as media
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.making import jpeg
from tests.serving import app, as_role

__all__ = ["app", "as_role"]


class Fields(HTMLParser):
    """The fields of a form as a browser would send them; the form is known by where it posts to."""

    def __init__(self, html, address):
        super().__init__()
        self.address, self.inside, self.found = address, False, {}
        self.select = self.area = ""
        self.feed(html)

    def put(self, name, value):
        self.found.setdefault(name, []).append(value or "")

    def handle_starttag(self, tag, attrs):
        given = dict(attrs)
        if tag == "form":
            self.inside = given.get("hx-post", "").split("?")[0] == self.address
        if not self.inside:
            return
        if (
            tag == "input"
            and given.get("name")
            and (given.get("type") not in ("checkbox", "radio") or "checked" in given)
        ):
            self.put(given["name"], given.get("value", "on"))
        if tag == "select":
            self.select = given.get("name", "")
        if tag == "option" and self.select and "selected" in given:
            self.put(self.select, given["value"])
        if tag == "textarea":
            self.area = given.get("name", "")
            self.put(self.area, "")

    def handle_data(self, data):
        if self.inside and self.area:
            self.found[self.area][-1] += data

    def handle_endtag(self, tag):
        if tag == "form":
            self.inside = False
        if tag == "textarea":
            self.area = ""
        if tag == "select":
            self.select = ""


def make(ctx, what):
    """A record with a page; its address, and two of its fields with values that may be written there."""
    if what == "category":
        key = categories.add(ctx, SYSTEM, "Yarn", -1)[0]
        vocabulary.make(ctx, SYSTEM, "tag", "summer")
        return f"/categories/{key}", ("tags", "summer"), ("meta_title", "Fine yarns")
    if what == "brand":
        key = vocabulary.make(ctx, SYSTEM, "brand", "Carrow Mill").id
        return f"/vocabulary/brands/{key}", ("tags", "summer"), ("name", "Carrow")
    if what == "attribute":
        key = attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["3 mm"])).id
        return f"/vocabulary/attributes/{key}", ("label", "3.0 mm"), ("help", "As printed on it.")
    if what == "type":
        key = vocabulary.make(ctx, SYSTEM, "type", "Yarn").id
        return f"/vocabulary/types/{key}", ("code_prefix", "YRN"), ("name", "Yarns")
    if what == "media":
        key = media.take(ctx, SYSTEM, "a.jpg", jpeg(60)).id
        return f"/media/{key}", ("tags", "summer"), ("file_name", "meadow.jpg")
    key = shops.make_shop(ctx, SYSTEM, {"name": "Outlet", "languages": "de"})
    return f"/shops/{key}", ("currency", "CHF"), ("name", "Ends")


@pytest.mark.parametrize("what", ["category", "brand", "attribute", "type", "media", "shop"])
def test_each_keeps_what_they_changed_and_the_later_one_is_told_of_what_both_did(ctx, as_role, what):
    me = as_role(Role.OWNER)
    other = me if what == "shop" else as_role(Role.EDITOR)  # only owners change shops: oneself in another tab
    address, (one, first), (two, second) = make(ctx, what)

    def form(page):
        return Fields(page.get(address).text, address).found

    mine, theirs = form(me), form(other)
    assert other.write(address, theirs | {one: first}).status_code == 200
    assert me.write(address, mine | {two: second}).status_code == 200
    both = form(me)
    assert (both[one], both[two]) == ([first], [second])
    # Now both change the same: the later one hears of it, and may put theirs in its place all the same.
    assert other.write(address, form(other) | {two: "A third"}).status_code == 200
    late = me.write(address, both | {two: "Mine"}, headers={"HX-Request": "true"})
    assert late.status_code == 409
    assert "A third" in late.text
    told = Fields(f'<form hx-post="{address}">{late.text}</form>', address).found["marks"]
    assert me.write(address, both | {two: "Mine", "marks": told}).status_code == 200
    assert form(me)[two][0].startswith("Mine")
    assert form(me)[one] == [first]
