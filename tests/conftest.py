"""What all tests share: the example world, built once."""

import os
from pathlib import Path

import polars as pl
import pytest
from hypothesis import HealthCheck, settings

from updraft.core import Engine, Files, Flow, Step
from updraft.demo import build

pytest.register_assert_rewrite("tests.jobs")

# A Java that runs for seconds is not worth the better of its compilers.
os.environ.setdefault("JDK_JAVA_OPTIONS", "-XX:TieredStopAtLevel=1 -XX:+UseSerialGC")

# Laws, not speed, are tested; the bench fixture only lends a folder.
settings.register_profile(
    "laws",
    deadline=None,
    max_examples=40,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture],
)
settings.load_profile("laws")


def pytest_collection_modifyitems(items):
    """Workers begin with an equal share of what takes long, and come to an end together with what is short."""
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    long = [item for item in items if "browser" in item.path.parts]
    short = [item for item in items if "browser" not in item.path.parts]
    share = -(-len(short) // workers)
    items[:] = [
        item
        for number in range(workers)
        for item in (*long[number::workers], *short[number * share : (number + 1) * share])
    ]


@pytest.fixture(scope="session")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The files of the example world; tests must not write here."""
    folder = tmp_path_factory.mktemp("world")
    build(folder)
    return folder


class Bench:
    """Applies one kind of step to a table in memory."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def apply(self, kind: str, settings: dict, table: pl.DataFrame, reference: pl.DataFrame | None = None):
        """The step's Table, computed by the real engine from tables that come in through files."""
        names = {"table": table, "reference": reference}
        steps, inputs = [], {}
        for port, frame in names.items():
            if frame is None:
                continue
            frame.write_ipc(self.folder / f"{port}.arrow")
            inputs[port] = port
            steps.append(Step(id=port, kind="test_source", settings={"path": f"{port}.arrow"}))
        flow = Flow(steps=(*steps, Step(id="it", kind=kind, settings=settings, inputs=inputs)))
        engine, files = Engine(), Files(self.folder)
        return engine.look(engine.plan(flow, files), "it", files)

    def rows(self, *args, output: str = "") -> list[dict]:
        return self.apply(*args).frames[output].to_dicts()


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    from tests import sources  # noqa: F401

    return Bench(tmp_path)
