"""Every address with every field that its module reads, each in turn with something odd: a sentence, never a fault."""

import inspect
import re
import sys
from urllib.parse import quote_from_bytes

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM, Role
from graupel.features.media import service as media
from graupel.features.variants import making
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
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
#: The table that a number in an address is of.
TABLES = {
    "product_id": "product", "variant_id": "variant", "category_id": "category", "record_id": "brand",
    "attribute_id": "attribute", "type_id": "product_type", "media_id": "media", "file_id": "import_file",
    "change_set_id": "change_set", "shop_id": "shop", "job_id": "job",
}  # fmt: skip
LONGEST_ADDRESS = 60_000
WORDS = {"which": "brands", "kind": "brand", "lang": "de", "code": "de", "name": "price", "owner": "category"}
_READS = re.compile(r"""form\.get(?:list)?\(f?"([\w{}-]+)"|"([\w-]+)" in form|params\.get(?:list)?\("([\w-]+)\"""")


def fill(ctx):
    """A bit of everything that pages are about."""
    colour = attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Red", "Blue"]))
    vocabulary.make(ctx, SYSTEM, "type", "Yarn")
    vocabulary.make(ctx, SYSTEM, "brand", "Carrow")
    make_product(ctx, "FEL-1", brand="Carrow", tags=("summer",), picture_side=60)
    varying = make_product(ctx, "FEL-2", category="Tools")
    making.make(ctx, SYSTEM, varying, wish((attributes.read(ctx, SYSTEM, colour.id).attribute, ["Red", "Blue"])))
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


def fields(route):
    """What the route may read: its parameters, and all that it, and what it calls, asks of a form or an address."""
    names, called, waiting = set(), set(), [route.endpoint]
    while waiting:
        function = waiting.pop()
        called.add(function)
        source = inspect.getsource(function)
        names |= {re.sub("{.*}", "1", "".join(found)) for found in _READS.findall(source)}
        waiting += [
            one
            for name, one in vars(sys.modules[function.__module__]).items()
            if inspect.isfunction(one) and one.__module__.startswith("graupel") and one not in called
            if re.search(rf"\b{name}\(", source)
        ]
    return sorted(names | {field.name for field in route.dependant.query_params})


def encoded(values):
    return "&".join(f"{name}={quote_from_bytes(value)}" for name, value in values.items())


@pytest.mark.parametrize("odd", ODD)
def test_an_odd_value_in_any_field_of_any_address_is_no_fault(ctx, app, as_role, odd):
    fill(ctx)
    browser = as_role(Role.OWNER)
    asked, faults = 0, []
    for method, route in page_routes(app):
        names = fields(route)
        tries = [{other: ODD[odd] if other == name else b"1" for other in names} for name in names]
        for values in [*tries, dict.fromkeys(names, ODD[odd])]:
            path, text = address(ctx, route.path), encoded(values)
            if method == "GET" and len(text) > LONGEST_ADDRESS:
                continue
            asked += 1
            try:
                answer = send(browser, method, path, text)
            except Exception as fault:
                faults.append(f"{method} {route.path} {type(fault).__name__}: {fault}"[:400])
                break
            if answer.status_code >= 500:
                faults.append(f"{method} {route.path}: {answer.status_code}")
                break
    assert asked > 200
    assert not faults, "\n".join(faults)


def send(browser, method, path, text):
    if method == "GET":
        return browser.get(f"{path}?{text}", follow_redirects=False)
    kind = {"Content-Type": "application/x-www-form-urlencoded"}
    return browser.write(path, content=text, headers=kind)
