"""Sample files: sheets to fill in, whose columns are known again when they come in."""

import io
import re
import zipfile

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.errors import NotFound
from graupel.core.product_types import Need
from graupel.core.roles import SYSTEM
from graupel.features.files import samples, service
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.features.vocabulary.types import Member
from tests.making import make_product
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


@pytest.fixture
def yarn(ctx):
    """A type that needs a colour, beside an attribute that it has not."""
    make_product(ctx, "A-1", brand="Carrow Mill")
    colour = attributes.make(ctx, SYSTEM, Definition("Weight", AttributeKind.COLOUR, choices=["Oat", "Peat"])).id
    attributes.make(ctx, SYSTEM, Definition("Pages", AttributeKind.NUMBER, "count:"))
    made = vocabulary.make(ctx, SYSTEM, "type", "Yarn: fine/thick").id
    types.save(ctx, SYSTEM, made, "Yarn: fine/thick", "", [Member(colour, need=Need.ALWAYS)])
    return made


def parts(content):
    with zipfile.ZipFile(io.BytesIO(content)) as packed:
        return {name: packed.read(name).decode() for name in packed.namelist() if name.endswith(".xml")}


def test_a_sample_has_the_columns_of_its_type_with_notes_marks_and_lists(ctx, yarn):
    name, content = samples.write(ctx, SYSTEM, yarn)
    assert name == "Yarn: fine/thick.xlsx"
    file_id = service.take(ctx, SYSTEM, name, io.BytesIO(content))
    file = service.read(ctx, SYSTEM, file_id)
    headers = file.row["headers"]
    assert headers[:3] == ["sku *", "product code", "name *"]
    assert "weight (attribute) *" in headers
    assert "pages" not in headers
    assert len(file.rules) == len(headers), "each is known again"
    found = parts(content)
    notes = found["xl/comments1.xml"]
    assert "Needed in each row" in notes
    assert "Needed to go live" in notes
    lists = re.findall(r"<formula1>(.*?)</formula1>", found["xl/worksheets/sheet1.xml"])
    assert all(one.startswith("Values!$") for one in lists)
    assert len(lists) == 5  # category, brand, type, delivered and the attribute; there is no tax class
    assert all(word in found["xl/sharedStrings.xml"] for word in ("Carrow Mill", "Peat", "Yarn &gt; Aran"))
    everything = samples.write(ctx, SYSTEM, 0)[1]
    assert "pages" in parts(everything)["xl/sharedStrings.xml"]
    with pytest.raises(NotFound):
        samples.write(ctx, SYSTEM, 999)


def test_it_is_fetched_from_the_page_of_files(ctx, yarn, browser):
    assert "Yarn: fine/thick" in browser.get("/files").text
    answer = browser.get(f"/files/sample?type={yarn}")
    assert answer.content[:2] == b"PK"
    assert "Yarn_ fine_thick.xlsx" in answer.headers["content-disposition"]
    assert browser.get("/files/sample").status_code == 200
    assert browser.get("/files/sample?type=999").status_code == 404
