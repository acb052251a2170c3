"""When something happens by itself: cron expressions in a time zone. Knows no clock: the moment is given."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from updraft.core.problems import Problem

_DAYS = ("Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def next_after(cron: str, zone: str, moment: datetime) -> datetime:
    """The first time after a moment that fits, in UTC.

    Args:
        cron: minute, hour, day of the month, month, day of the week, as crontab(5) has them. A time that the
            clock leaps over in spring comes right after the leap; one that comes twice in autumn counts once.
        zone: a name of the IANA time zone database.
        moment: with a time zone.

    Raises:
        Problem: the expression cannot be read or never comes, or there is no such zone.
    """
    from cronsim import CronSim, CronSimError

    try:
        there = moment.astimezone(ZoneInfo(zone))
    except (ZoneInfoNotFoundError, ValueError, IsADirectoryError):
        raise Problem(
            f"Time zone “{zone}”",
            "there is none of this name.",
            "Choose one such as Europe/London.",
            field="zone",
            code="bad_schedule",
        ) from None
    try:
        return next(CronSim(cron, there)).astimezone(UTC)
    except CronSimError:
        reason = "it cannot be read."
    except StopIteration:
        reason = "it never comes."
    raise Problem(
        f"Schedule “{cron}”",
        reason,
        "Write minute, hour, day, month and weekday: 0 6 * * 1-5 is six o'clock on working days.",
        field="cron",
        code="bad_schedule",
    )


def words(cron: str) -> str:
    """A schedule in words where it is a simple one; else the expression itself."""
    parts = cron.split()
    if len(parts) != 5 or parts[2:4] != ["*", "*"] or not (parts[0].isdigit() and parts[1].isdigit()):
        return cron
    time = f"{int(parts[1]):02}:{int(parts[0]):02}"
    if parts[4] == "*":
        return f"every day at {time}"
    if all(day.isdigit() and int(day) < 8 for day in parts[4].split(",")):
        return f"every {' and '.join(_DAYS[int(day)] for day in parts[4].split(','))} at {time}"
    return cron
