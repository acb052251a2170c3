"""Every job through the page: its flow is brought in, its files are, it is run, and what it delivers is right."""

import pytest

from tests.browser.conftest import bring_flow
from tests.jobs import JOBS, keep_sent
from tests.jobs.test_jobs import material  # noqa: F401  a fixture


@pytest.mark.parametrize("job", [job for job in JOBS if job.page], ids=lambda job: job.name)
def test_a_job_through_the_page(page, app, job, material, tmp_path, request):  # noqa: F811
    bring_flow(page, job.document, [material / name for name in job.files])
    assert page.locator(".stop .said-problem, .stop-problem").count() == 0
    page.locator("#run").click()
    page.get_by_role("button", name="Run now").click()
    page.get_by_role("heading", name="Done").wait_for()
    out = tmp_path / "out"
    out.mkdir()
    for link in page.locator("#desk a.file").all():
        with page.expect_download() as download:
            link.click()
        download.value.save_as(out / link.inner_text().strip())
    shop = next(c for c in page.request.get("/api/connections").json()["connections"] if c["name"] == "Garden shop")
    keep_sent(out, app.data / "outbox", shop["where"])
    job.check(out, material)
