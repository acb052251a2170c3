"""Flows by the app's own addresses, without the pages on the way: for tests that are about something else."""

import json
import re
import time
from functools import cache

from playwright.sync_api import APIResponse, BrowserContext, Page


@cache
def token(context: BrowserContext) -> str:
    """What the pages of this browser session send with what changes something."""
    return re.search(r'name="csrf-token" content="([^"]+)"', context.request.get("/").text())[1]


def post(page: Page, path: str, **sent) -> dict:
    """Ask as the pages do: what takes its time is asked for again until it is there."""
    headers = {"X-CSRFToken": token(page.context), "Accept": "application/json"}
    for times in range(200):
        answer: APIResponse = page.request.post(
            path, headers=headers | ({"X-Asked-Before": str(times)} if times else {}), **sent
        )
        if answer.status != 202:
            break
        time.sleep(float(answer.headers.get("retry-after", 0.1)))
    assert answer.ok, (path, answer.status, answer.text())
    return answer.json()


@cache
def demo_flow(context: BrowserContext) -> str:
    """The ready-made flow's address."""
    home = context.request.get("/").text()
    return re.search(r'href="(/flows/\w+)"[^>]*>\s*March packet report\s*<', home)[1]


def copied_demo(page: Page) -> str:
    """The address of a copy of the ready-made flow."""
    flow = demo_flow(page.context).rsplit("/", 1)[1]
    return f"/flows/{post(page, f'/api/flows/{flow}/duplicate')['id']}"


def imported(page: Page, flow: str | dict, files: dict[str, str | bytes]) -> str:
    """The address of a flow that is imported, with the files that it reads; HTML comes as what is no table."""
    text = flow if isinstance(flow, str) else json.dumps(flow)
    made = {"name": "flow.updraft.json", "mimeType": "application/json", "buffer": text.encode()}
    address = f"/flows/{post(page, '/api/flows/import', multipart={'file': made})['id']}"
    for name, content in files.items():
        content = content.encode() if isinstance(content, str) else content
        file = {"name": name, "mimeType": "application/octet-stream", "buffer": content}
        other = {"other": "yes"} if name.endswith(".html") else {}
        post(page, f"/api{address}/files", multipart={"file": file, **other})
    return address
