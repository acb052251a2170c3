"""Names in other alphabets, and uploads of one name at one moment."""

import socket
from concurrent.futures import ThreadPoolExecutor
from urllib.parse import unquote

from tests.app.conftest import Client
from updraft.core import Flow


def test_a_flow_of_any_name_is_exported_by_its_name(client, tmp_path):
    for name in ("Семена и сорта", "種の一覧", 'a "b" ü', "plain"):
        made = client.studio.flows.create(Flow(name=name), "made")
        answer = client.http.get(f"/api/flows/{made}/export")
        assert answer.status_code == 200
        header = answer.headers["Content-Disposition"]
        assert header.isascii() and unquote(header.partition("UTF-8''")[2]).startswith(name.replace('"', "")[:5])


def test_uploads_of_one_name_at_one_moment_are_all_kept(client):
    flow = client.studio.flows.create(Flow(name="Many"), "made")

    def send(number: int) -> str:
        answer = Client(client.app).upload(flow, "same.csv", f"a,b\n{number},{number}\n{number},2\n".encode())
        assert answer.status_code == 201
        return answer.json["path"]

    with ThreadPoolExecutor(8) as pool:
        paths = list(pool.map(send, range(24)))
    assert len(set(paths)) == 24
    kept = {(client.studio.folders.files(flow) / path).read_text().split("\n")[1] for path in paths}
    assert kept == {f"{number},{number}" for number in range(24)}


def test_a_machine_that_does_not_exist_is_not_reached_and_not_asked_again(client, monkeypatch):
    asked = []

    def unknown(host, *_, **__):
        asked.append(host)
        raise socket.gaierror(socket.EAI_NONAME, "Name or service not known")

    monkeypatch.setattr(socket, "getaddrinfo", unknown)
    answer = client.post("/api/connections", {"kind": "web", "name": "Far", "url": "https://nowhere.example/"})
    assert answer.status_code == 422 and "no machine of this name" in answer.json["problem"]["text"]
    assert asked == ["nowhere.example"] and client.studio.connections.all() == {}


def test_signs_that_turn_the_writing_round_are_shown_in_names_and_left_out_of_files(client):
    flow = client.post("/api/flows", {"name": "report\u202etxt.exe"}).json["id"]
    for page in ("/", f"/flows/{flow}/description", f"/flows/{flow}/runs"):
        text = client.http.get(page).get_data(as_text=True)
        assert "report⟨U+202E⟩txt.exe" in text, page
    sent = client.upload(flow, "lots\u202evsc.csv", b"a,b\n1,2\n")
    assert sent.json["path"] == "lotsvsc.csv"
