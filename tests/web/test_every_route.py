"""Every address with every field that its schema names, each in turn with something odd: a sentence, never a fault."""

import re
from urllib.parse import quote_from_bytes

import pytest
from starlette.datastructures import QueryParams

from graupel.core.attributes import AttributeKind
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.choices import service as choices
from graupel.features.choices import uses
from graupel.features.media import service as media
from graupel.features.variants import making
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.web.security import form_of
from graupel.web.sent import Among, Named, Sent
from tests.making import jpeg, make_product, plan_file
from tests.needles import wish
from tests.serving import app, as_role, page_routes

__all__ = ["app", "as_role"]

ODD = {
    "empty": b"",
    "endless": b"9" * 4_400,
    "beyond": b"18446744073709551616",
    "nul": b"a\0b",
    "half": b"\xed\xa0\x80\xff",
    "signs": "\U0001f9f6\u202e'\"><script>x</script>%s{{7*7}}".encode(),
    "deep": b"[" * 2_000,
    "object": b'{"a": [1, null]}',
    "surrogate": b'[{"cell": "p1:name", "text": "\\ud800", "was": ""}]',
    "null": b"null",
    "long": b"wool " * 20_000,
}
#: What a schema refuses is answered by one place, whatever was sent: with these it is asked of each route once.
ASKED_REFUSED = ("signs", "half")
#: The table that a number in an address is of.
TABLES = {
    "product_id": "product", "variant_id": "variant", "category_id": "category", "record_id": "brand",
    "attribute_id": "attribute", "type_id": "product_type", "media_id": "media", "file_id": "import_file",
    "change_set_id": "change_set", "shop_id": "shop", "job_id": "job", "choice_id": "buyer_choice",
    "order_id": "shop_order", "download_id": "download", "version_id": "download_version",
    "given_id": "given_download", "kind_id": "relation_kind",
    "review_id": "review", "rule_id": "relation_rule", "profile_id": "import_profile", "export_id": "export_file",
    "source_id": "file_source",
    "outlet_id": "file_outlet",
}  # fmt: skip
LONGEST, LONGEST_ADDRESS = 70_000, 60_000
WORDS = {"which": "brands", "kind": "brand", "lang": "de", "code": "de", "name": "price", "owner": "category"}


def fill(ctx):
    """A bit of everything that pages are about."""
    colour = attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Red", "Blue"]))
    vocabulary.make(ctx, SYSTEM, "type", "Yarn")
    vocabulary.make(ctx, SYSTEM, "brand", "Carrow")
    make_product(ctx, "FEL-1", brand="Carrow", tags=("summer",), picture_side=60)
    varying = make_product(ctx, "FEL-2", category="Tools")
    making.make(ctx, SYSTEM, varying, wish((attributes.read(ctx, SYSTEM, colour.id).attribute, ["Red", "Blue"])))
    wrap = choices.save(ctx, SYSTEM, None, {"name": "Gift wrap", "kind": "one"}, [{"label": "Paper", "adds": "2"}])
    uses.ask(ctx, SYSTEM, varying, [wrap], "Needles")
    media.take(ctx, SYSTEM, "loose.jpg", jpeg(70))
    plan_file(ctx, "sku,name,price\nNEW-1,New,5\nBAD,,x\n")


def address(ctx, path):
    """The path of a route with the ids of records that are there."""

    def one(found):
        name = found.group(1)
        table = TABLES.get(name)
        if table is None:
            return WORDS.get(name, "1")
        return str(ctx.db.run(lambda tx: tx.value(f"SELECT MAX(id) FROM {table}")) or 1)

    return re.sub(r"{(\w+)(?::\w+)?}", one, path)


def schemas(route):
    """What the route says that it is sent or asked."""
    owners = [getattr(one.call, "__self__", None) for one in route.dependant.dependencies]
    return [one for one in owners if isinstance(one, type) and issubclass(one, Sent)]


def fields(route):
    """The names that are tried together: each by itself, those that a schema takes alike at once."""
    found = [[field.name] for field in route.dependant.query_params]
    for schema in schemas(route):
        for name, how in schema.reads().items():
            prefix = f"{how.prefix}1" if isinstance(how, Named) else name
            found.append(list(how.names) if isinstance(how, Among) else [prefix])
    return sorted(found)


def encoded(values):
    return "&".join(f"{name}={quote_from_bytes(value, safe=' ').replace(' ', '+')}" for name, value in values.items())


@pytest.mark.parametrize("odd", ODD)
def test_an_odd_value_in_any_field_of_any_address_is_no_fault(ctx, app, as_role, odd):
    fill(ctx)
    browser = as_role(Role.OWNER)
    asked, faults = 0, []
    for method, route in page_routes(app):
        groups, is_refused = fields(route), False
        at = address(ctx, route.path)
        names = [name for group in groups for name in group]
        # What is long stays as long together where a schema takes many names alike.
        tries = [
            {name: ODD[odd][: LONGEST // len(group)] if name in group else b"1" for name in names} for group in groups
        ]
        for values in [*tries, {name: ODD[odd][: LONGEST // len(names)] for name in names}]:
            text = encoded(values)
            if method == "GET" and len(text) > LONGEST_ADDRESS:
                continue
            if not let_through(route, text):
                if is_refused or odd not in ASKED_REFUSED:
                    continue
                is_refused = True
            asked += 1
            try:
                answer = send(browser, method, at, text)
            except Exception as fault:
                faults.append(f"{method} {route.path} {type(fault).__name__}: {fault}"[:400])
                break
            if answer.status_code >= 500:
                faults.append(f"{method} {route.path}: {answer.status_code}")
                break
    assert asked > 200
    assert not faults, "\n".join(faults)


def let_through(route, text):
    """Whether the schemas of a route let something through. Another error than a refusal is a fault of theirs."""
    try:
        for schema in schemas(route):
            schema.from_sent(QueryParams(text))
    except Refused:
        return False
    return True


def test_every_form_is_read_by_a_schema(app):
    """Pages are given what a schema let through, never the form itself."""
    raw = [
        route.path for _, route in page_routes(app) if any(one.call is form_of for one in route.dependant.dependencies)
    ]
    assert not raw
    assert sum(bool(schemas(route)) for method, route in page_routes(app) if method == "POST") > 40


def send(browser, method, path, text):
    if method == "GET":
        return browser.get(f"{path}?{text}", follow_redirects=False)
    kind = {"Content-Type": "application/x-www-form-urlencoded"}
    return browser.write(path, content=text, headers=kind)
