"""`ask_the_app.py ADDRESS PROCESS`: use a demo that is starting, with the standard library alone, and say what answered.

Ends with 1 when the process ends, or when something does not answer within its time.
"""

import html
import http.cookiejar
import json
import os
import re
import sys
import time
import urllib.error
import urllib.request

ADDRESS, PROCESS = sys.argv[1], int(sys.argv[2])
open_ = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar())).open


def get(path: str) -> str:
    with open_(ADDRESS + path, timeout=60) as answer:
        return answer.read().decode()


def post(path: str, token: str, body: dict) -> dict:
    headers = {"Content-Type": "application/json", "X-CSRFToken": token, "Referer": ADDRESS}
    request = urllib.request.Request(ADDRESS + path, json.dumps(body).encode(), headers)
    with open_(request, timeout=120) as answer:
        return json.load(answer)


def until(what: str, seconds: float, ask):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            os.kill(PROCESS, 0)
        except ProcessLookupError:
            sys.exit(f"make demo ended before {what} answered")
        try:
            if found := ask():
                print(f"{what}: answers")
                return found
        except (urllib.error.URLError, ConnectionError):
            pass
        time.sleep(0.3)
    sys.exit(f"{what}: no answer within {seconds:.0f} s")


home = until("the home page", 600, lambda: get("/"))
flow = next(
    link
    for link, name in re.findall(r'href="/flows/([a-z0-9]+)"[^>]*>\s*([^<]+)', html.unescape(home))
    if name.strip() == "March packet report"
)
page = get(f"/flows/{flow}")
token = re.search(r'name="csrf-token" content="([^"]+)"', page).group(1)
step = list(json.loads(get(f"/api/flows/{flow}"))["steps"])[-1]
table = until(
    "a table of the demo flow", 60, lambda: post(f"/api/flows/{flow}/look", token, {"step": step})["table"]
)
if not table["rows"]:
    sys.exit("the table of the demo flow has no rows")
run = post(f"/api/flows/{flow}/runs", token, {})["id"]
ended = until(
    "a run through the page",
    120,
    lambda: (r := json.loads(get(f"/api/runs/{run}")))["status"] not in ("waiting", "running") and r,
)
if ended["status"] != "ok" or not ended["report"]["outputs"]:
    sys.exit(f"the run ended as {ended['status']}: {ended['report']}")
