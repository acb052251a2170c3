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
    created = pw.CharField(max_length=32)
    updated = pw.CharField(max_length=32)

    class Meta:
        table_name = "flow"


class RevisionRow(_Model):
    """One saved state of a flow. `parent` is the revision it was made from: undo goes there."""

    flow = pw.ForeignKeyField(FlowRow, backref="revisions", on_delete="CASCADE")
    number = pw.IntegerField()
    parent = pw.IntegerField(null=True)
    sentence = pw.CharField(max_length=400)
    document = pw.TextField()
    created = pw.CharField(max_length=32)

    class Meta:
        table_name = "revision"
        indexes = ((("flow", "number"), True),)


class RunRow(_Model):
    """One execution: waiting, running, ok, failed, cancelled, or cut off when its process went away."""

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

    class Meta:
        table_name = "run"


class ConnectionRow(_Model):
    """Where something outside is. `secret` is encrypted; the key is not in the database."""

    name = pw.CharField(max_length=80, unique=True)
    document = pw.TextField()
    secret = pw.TextField(default="")
    updated = pw.CharField(max_length=32)

    class Meta:
        table_name = "connection"
