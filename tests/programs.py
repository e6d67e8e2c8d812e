"""The interface for programs, over HTTP, without a network."""

import pytest
from starlette.testclient import TestClient

from graupel.core.roles import Role
from graupel.features.users import service as users
from tests.conftest import person
from tests.serving import app_of


@pytest.fixture
def client_of(ctx):
    app = app_of(ctx)

    def make(role: Role) -> TestClient:
        token = users.make_token(ctx, users.actor_by_email(ctx, "owner@skeinwright.example"), f"Test {role}", role)
        return TestClient(app, base_url="http://127.0.0.1/api/v1", headers={"Authorization": f"Bearer {token}"})

    person(ctx, Role.OWNER)
    return make


@pytest.fixture
def client(client_of):
    return client_of(Role.EDITOR)
