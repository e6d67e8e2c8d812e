"""What guards every page."""

import re
from datetime import UTC, datetime, timedelta
from html.parser import HTMLParser

import pytest

from graupel import main
from graupel.context import Context
from graupel.core.roles import SYSTEM, Role
from graupel.features.history import service as history
from graupel.jobs import JobRequest, enqueue
from tests.conftest import PASSWORD, person
from tests.making import catalogue, make_product, plan_file
from tests.serving import Browser, app, as_role, browser, paths_of, stranger

__all__ = ["app", "as_role", "browser", "stranger"]
OPEN = {"/sign-in", "/healthz", "/readyz", "/robots.txt", "/media/1/1", "/media/1/1/1", "/"}
PAGES = [
    "/products",
    "/products/new",
    "/products/{product}",
    "/files",
    "/files/{file}",
    "/channels",
    "/jobs",
    "/history",
    "/history/{change}",
    "/account",
    "/account/second",
    "/people",
    "/people/record",
    "/products/{product}/copy",
    "/sign-in",
    "/shop",
    "/shop/p/{product}",
    "/nowhere",
]


NOT_FOR_VIEWERS = {"/products/new", "/products/{product}/copy", "/people", "/people/record"}


class Finder(HTMLParser):
    """Collects whatever a strict policy would forbid."""

    def __init__(self) -> None:
        super().__init__()
        self.found = []

    def handle_starttag(self, tag, attrs):
        names = dict(attrs)
        is_data = names.get("type") == "application/ld+json"  # never run, so the policy lets it be
        if tag == "style" or (tag == "script" and "src" not in names and not is_data):
            self.found.append(tag)
        self.found += [
            name for name, value in attrs if name == "style" or name.startswith("on") or "javascript:" in (value or "")
        ]


def inline_code(text: str) -> list[str]:
    finder = Finder()
    finder.feed(text)
    return finder.found


def newest(ctx) -> int:
    return history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]


def test_no_page_of_ours_opens_for_a_stranger(app, stranger):
    reached = paths_of(app, {"GET"})
    assert len(reached) > 15
    for _, path in reached:
        answer = stranger.get(path, follow_redirects=False)
        if path == "/session":  # asks who is signed in: nobody
            assert answer.json()["person"] is None
        elif path.startswith(("/welcome/", "/stock/low/", "/shop/o/", "/shop/d/")):  # the address is the key
            assert answer.status_code == 404
        elif path not in OPEN and not path.startswith("/shop"):  # the shop window is everybody’s
            assert (answer.status_code, answer.headers["location"].partition("?")[0]) == (303, "/sign-in"), path


def test_no_write_is_taken_without_the_token_of_the_session(app, as_role, ctx):
    owner = as_role(Role.OWNER)
    make_product(ctx, "FEL-1")
    before = catalogue(ctx)
    writes = [
        (method, path)
        for method, path in paths_of(app, {"POST", "PUT", "PATCH", "DELETE"})
        if path != "/sign-in" and not path.startswith("/shop/")  # buyers have no session: see test_buying
    ]
    assert len(writes) > 12
    for method, path in writes:
        for headers in ({}, {"X-CSRF-Token": "x" * 43}):
            answer = owner.request(method, path, data={"name": "Forged"}, headers=headers, follow_redirects=False)
            assert answer.status_code == 403, path
    assert catalogue(ctx) == before


VOCABULARY = [f"/vocabulary/{part}" for part in ("attributes", "types", "brands", "tags", "units", "doubles")]
#: Posts that only show what is typed at the moment, or keep how somebody likes to look: they change no catalogue.
LOOKING = (
    "/products/columns",
    "/products/mirror/new",
    "/products/mirror/1",
    "/products/facts/new",
    "/products/facts/1",
    "/categories/1/preview",
    "/conditions/1/1/plan",
    "/stock/count/look",
    "/stock/move/look",
    "/choices/try",
)


def test_a_viewer_sees_every_page_and_changes_nothing_through_any(app, as_role, ctx):
    viewer = as_role(Role.VIEWER)
    product_id = make_product(ctx, "FEL-1")
    file = plan_file(ctx, "sku,name\nNEW-1,New\n")
    state = ctx.db.run(
        lambda tx: [
            tx.all(f"SELECT * FROM {t}")
            for t in (
                "job",
                "change_set",
                "import_file",
                "api_token",
                "media",
                "category",
                "channel",
                "brand",
                "tag",
                "attribute",
            )
        ]
    )
    before = catalogue(ctx)
    for path in [*PAGES[:-3], *VOCABULARY]:
        if path not in NOT_FOR_VIEWERS:
            assert viewer.get(path.format(product=product_id, file=file.id, change=newest(ctx))).status_code == 200, (
                path
            )
    for _, path in paths_of(app, {"POST"}):
        free = ("/sign-in", "/session", "/sign-out", *LOOKING)
        if path in free or "account/" in path or "sessions" in path or path.startswith("/shop/"):
            continue
        path = (
            path.replace("/products/1", f"/products/{product_id}")
            .replace("/files/1", f"/files/{file.id}")
            .replace("channels/1/1", "channels/1/send")
        )
        answer = viewer.write(
            path,
            {
                "name": "N",
                "sku": "N",
                "role": "viewer",
                "place": "",
                "title": "",
                "status": "draft",
                "column_0": "sku",
                "column_1": "name",
                "leave_out": "yes",
                "path": "X",
                "kind": "ostlerby",
                "address": "http://x",
                "secret": "y",
            },
            files={"file": ("x.csv", b"sku,name\nX,X\n")},
        )
        assert answer.status_code in (403, 404, 422), path
    assert catalogue(ctx) == before
    assert state == ctx.db.run(
        lambda tx: [
            tx.all(f"SELECT * FROM {t}")
            for t in (
                "job",
                "change_set",
                "import_file",
                "api_token",
                "media",
                "category",
                "channel",
                "brand",
                "tag",
                "attribute",
            )
        ]
    )


def test_every_answer_carries_the_headers_and_no_page_needs_inline_script_or_style(as_role, ctx):
    owner = as_role(Role.OWNER)
    product_id = make_product(
        ctx, "FEL-1", name='<b onclick=x>& "quoted"</b>', picture_side=600, description="<p>Wool</p>"
    )
    file = plan_file(ctx, "sku,name,price\nFEL-1,<script>x</script>,5\nX,,1\n")
    for path in PAGES:
        answer = owner.get(path.format(product=product_id, file=file.id, change=newest(ctx)))
        policy = answer.headers["content-security-policy"]
        assert "script-src 'self'" in policy
        assert "unsafe" not in policy
        assert answer.headers["x-content-type-options"] == "nosniff"
        assert answer.headers["x-request-id"]
        assert inline_code(answer.text) == [], path
        assert "<b onclick" not in answer.text


def test_signing_in_through_the_door_and_out_again(stranger, as_role):
    as_role(Role.EDITOR)
    door = stranger.get("/sign-in?next=/jobs")
    token = re.search(r'name="door" value="([^"]+)"', door.text)[1]
    wrong = stranger.post(
        "/sign-in", data={"door": token, "next": "/jobs", "email": "editor@skeinwright.example", "password": "no"}
    )
    assert wrong.status_code == 401
    assert 'value="editor@skeinwright.example"' in wrong.text
    right = stranger.post(
        "/sign-in",
        data={"door": token, "next": "/jobs", "email": "editor@skeinwright.example", "password": "a-long-password"},
        follow_redirects=False,
    )
    assert right.headers["location"] == "/jobs"
    cookie = right.headers["set-cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=lax" in cookie
    assert stranger.get("/jobs").status_code == 200
    csrf = re.search(r'name="csrf" content="([^"]+)"', stranger.get("/jobs").text)[1]
    stranger.post("/sign-out", data={"csrf": csrf})
    assert stranger.get("/jobs", follow_redirects=False).status_code == 303


@pytest.mark.parametrize("elsewhere", ["https://evil.example", "//evil.example", "/\\evil.example", "evil"])
def test_the_door_leads_nowhere_else(stranger, elsewhere):
    assert 'name="next" value="/"' in stranger.get("/sign-in", params={"next": elsewhere}).text
    assert stranger.post("/sign-in", data={"email": "a", "password": "b"}).status_code == 403


def test_more_than_the_limit_is_refused_however_it_is_announced(browser, ctx):
    most = ctx.settings.upload_megabytes * 1_000_000

    def parts():
        yield b'--x\r\nContent-Disposition: form-data; name="file"; filename="a.csv"\r\n\r\n'
        for _ in range(most // 1_000_000 + 1):
            yield b"x" * 1_000_000
        yield b"\r\n--x--\r\n"

    answer = browser.post(
        "/files",
        content=parts(),
        headers={"Content-Type": "multipart/form-data; boundary=x", "X-CSRF-Token": browser.csrf},
    )
    assert answer.status_code == 413
    assert "larger than the 64 MB" in answer.text


def test_health_tells_alive_from_ready(stranger, ctx, monkeypatch):
    assert stranger.get("/healthz").json()["alive"]
    told = stranger.get("/readyz").json()
    well = {"database": "writable", "files": "writable", "workers": "at work"}
    assert told == {"ready": True, "pending_migrations": [], **well}
    request = JobRequest("history.rollback", "Nobody comes", run_after=datetime.now(UTC) - timedelta(minutes=5))
    ctx.db.run(lambda tx: enqueue(tx, SYSTEM, request))
    assert "a job has been due for 30" in stranger.get("/readyz").json()["workers"]
    monkeypatch.setattr("graupel.main.pending", lambda url: ["0009_next"])
    assert stranger.get("/readyz").status_code == 503


def test_under_tls_cookies_belong_to_this_host_alone_and_nothing_else_is_used(ctx):
    safe = Context(ctx.db, ctx.settings.model_copy(update={"secure_cookies": True}))
    browser = Browser(main.make_app(safe), base_url="https://127.0.0.1")
    person(safe, Role.EDITOR)
    door = re.search(r'name="door" value="([^"]+)"', browser.get("/sign-in").text)[1]
    form = {"door": door, "email": "editor@skeinwright.example", "password": PASSWORD}
    answer = browser.post("/sign-in", data=form, follow_redirects=False)
    kept = answer.headers.get_list("set-cookie")
    assert kept
    assert all(one.startswith("__Host-graupel") and "Secure" in one and "Path=/" in one for one in kept)
    assert answer.headers["Strict-Transport-Security"].startswith("max-age=")
    assert browser.get("/products").status_code == 200
