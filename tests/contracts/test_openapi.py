"""The OpenAPI documents say the truth: requests made from them get answers that they describe."""

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    negative_data_rejection,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from graupel import main
from graupel.core.roles import Role
from graupel.features.users import service as users
from standins.ostlerby.app import make_app
from tests.conftest import person
from tests.making import make_product

CHECKS = [
    not_a_server_error,
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
    response_headers_conformance,
    negative_data_rejection,
]
FEW = settings(max_examples=15, deadline=None, suppress_health_check=list(HealthCheck), phases=[Phase.generate])


@pytest.fixture
def graupel(ctx):
    token = users.make_token(ctx, person(ctx, Role.OWNER), "Contract", Role.OWNER)
    make_product(ctx, "FEL-1")
    schema = schemathesis.openapi.from_asgi("/api/v1/openapi.json", main.make_app(ctx))
    return schema, {"Authorization": f"Bearer {token}"}


@pytest.fixture
def ostlerby(tmp_path):
    app = make_app(tmp_path, key="k", review_seconds=60)
    schema = schemathesis.openapi.from_asgi("/openapi.json", app).include(path_regex="^/v1/")
    return schema, {"Authorization": "Bearer k"}


@pytest.mark.parametrize("service", ["graupel", "ostlerby"])
def test_every_operation_answers_as_its_document_says(request, service):
    schema, headers = request.getfixturevalue(service)
    tried = []
    for result in schema.get_all_operations():
        operation = result.ok()

        @FEW
        @given(case=operation.as_strategy())
        def check(case):
            tried.append(case.operation.label)
            case.call_and_validate(headers=headers, checks=CHECKS)

        check()
    assert len(set(tried)) >= 5
