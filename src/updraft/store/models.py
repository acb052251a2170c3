"""Tables of the app's database. Documents are flow files as text, so that the database holds nothing else
can read.
"""

from __future__ import annotations

from updraft.store.orm import peewee as pw

database = pw.DatabaseProxy()


class _Model(pw.Model):
    class Meta:
        database = database
        legacy_table_names = False


class FlowRow(_Model):
    """A saved flow; `head` is the number of the revision that is current."""

    id = pw.CharField(primary_key=True, max_length=32)
    name = pw.CharField(max_length=200)
    head = pw.IntegerField(default=1)
    live = pw.IntegerField(null=True)  # the revision that runs by itself; none: the current one
    created = pw.CharField(max_length=32)
    updated = pw.CharField(max_length=32)

    class Meta:
        table_name = "flow"


class RevisionRow(_Model):
    """One saved state of a flow. `parent` is the revision it was made from: undo goes there.

    `document` is without decisions; `decided` says which set of them each step has (step → digest).
    """

    flow = pw.ForeignKeyField(FlowRow, backref="revisions", on_delete="CASCADE")
    number = pw.IntegerField()
    parent = pw.IntegerField(null=True)
    sentence = pw.CharField(max_length=400)
    document = pw.TextField()
    decided = pw.TextField(default="{}")
    created = pw.CharField(max_length=32)
    who = pw.CharField(max_length=32, default="")

    class Meta:
        table_name = "revision"
        indexes = ((("flow", "number"), True),)


class DecisionRow(_Model):
    """A set of decisions by its digest, kept once however many revisions have it. `body` is JSON."""

    digest = pw.CharField(primary_key=True, max_length=32)
    body = pw.TextField()

    class Meta:
        table_name = "decision"


class RunRow(_Model):
    """One execution: waiting, running, ok, partly, held, failed, cancelled, or cut off when its process went
    away.

    `series` is the id of the first run of those that repeat one that was cut off or failed.
    """

    id = pw.CharField(primary_key=True, max_length=32)
    flow = pw.ForeignKeyField(FlowRow, backref="runs", on_delete="CASCADE")
    revision = pw.IntegerField()
    document = pw.TextField()
    parameters = pw.TextField(default="{}")
    status = pw.CharField(max_length=16, default="waiting")
    cancel = pw.BooleanField(default=False)
    progress = pw.TextField(default="{}")
    report = pw.TextField(null=True)
    created = pw.CharField(max_length=32)
    started = pw.CharField(max_length=32, null=True)
    finished = pw.CharField(max_length=32, null=True)
    series = pw.CharField(max_length=32, default="")
    dry = pw.BooleanField(default=False)
    by = pw.CharField(max_length=32, default="")  # the schedule that began it
    cause = pw.TextField(default="")  # what began it, in words
    chain = pw.TextField(default="")  # ids of the flows whose messages led to it, with commas
    who = pw.CharField(max_length=32, default="")
    # The table, as it was looked at, of which it profiles all rows.
    profiled = pw.CharField(max_length=200, default="", index=True)

    class Meta:
        table_name = "run"


class DeliveryRow(_Model):
    """Something handed over, or about to be. `key` is made of the series of runs, the step and the
    content.
    """

    key = pw.CharField(primary_key=True, max_length=32)
    series = pw.CharField(max_length=32, index=True)
    step = pw.CharField(max_length=64)
    delivered = pw.TextField(default="")  # JSON, once it is done
    begun = pw.CharField(max_length=32)

    class Meta:
        table_name = "delivery"


class ScheduleRow(_Model):
    """When a flow runs by itself: at times (`at`, a cron expression in a time zone) or when something new
    comes (`watch`). `last` is when it was last looked at or began, `run` what it began last, `seen` what a
    trigger saw. `only` says which mail a trigger takes (sender, subject, name of an attachment), `said` why
    what came last did not begin a run.
    """

    id = pw.CharField(primary_key=True, max_length=32)
    flow = pw.ForeignKeyField(FlowRow, backref="schedules", on_delete="CASCADE")
    at = pw.CharField(max_length=200)
    zone = pw.CharField(max_length=64, default="UTC")
    watch = pw.CharField(max_length=100, default="")
    last = pw.CharField(max_length=32, default="")
    run = pw.CharField(max_length=32, default="")
    seen = pw.TextField(default="")
    only = pw.TextField(default="{}")
    said = pw.TextField(default="")
    parameters = pw.TextField(default="{}")
    active = pw.BooleanField(default=True)
    who = pw.CharField(max_length=32, default="")
    created = pw.CharField(max_length=32)

    class Meta:
        table_name = "schedule"


class ConnectionRow(_Model):
    """Where something outside is. `secret` is encrypted; the key is not in the database."""

    name = pw.CharField(max_length=80, unique=True)
    document = pw.TextField()
    secret = pw.TextField(default="")
    updated = pw.CharField(max_length=32)

    class Meta:
        table_name = "connection"
