"""An app on an empty data folder, with runs executed at once unless a test starts the real worker."""

import io
from pathlib import Path

import pytest

from updraft.core import Flow, Step
from updraft.store import Folders, open_database
from updraft.web import create_app


class Client:
    """The app's JSON, with the token that its pages carry."""

    def __init__(self, app) -> None:
        self.app, self.http = app, app.test_client()
        self.studio = app.extensions["studio"]
        page = self.http.get("/").get_data(as_text=True)
        self.token = page.split('name="csrf-token" content="')[1].split('"')[0]

    def call(self, method: str, path: str, body=None, **more):
        return self.http.open(path, method=method, json=body, headers={"X-CSRFToken": self.token}, **more)

    def post(self, path: str, body=None):
        return self.call("POST", path, {} if body is None else body)

    def upload(self, flow: str, name: str, content: bytes):
        return self.http.post(
            f"/api/flows/{flow}/files", data={"file": (io.BytesIO(content), name)}, headers={"X-CSRFToken": self.token}
        )

    def flow(self, *edits: dict) -> str:
        made = self.post("/api/flows", {"name": "Test"}).json["id"]
        if edits:
            assert self.post(f"/api/flows/{made}/edits", {"edits": edits}).status_code == 200
        return made


@pytest.fixture
def client(tmp_path: Path):
    folders = Folders(tmp_path / "data")
    db = open_database(folders.database)
    app = create_app(folders, lambda run: None, secret="test", upload_limit=5 << 20)
    yield Client(app)
    app.extensions["detecting"].close()
    app.extensions["windows"].close()
    app.extensions["studio"].engine.cache.flush()
    db.close_all() if hasattr(db, "close_all") else db.close()


def small_flow() -> Flow:
    return Flow(
        name="Small",
        steps=(
            Step(id="r", kind="read_file", settings={"path": "growers.xlsx"}),
            Step(id="k", kind="keep_rows", inputs={"table": "r"}, settings={"by": "first", "count": 3}),
        ),
    )
