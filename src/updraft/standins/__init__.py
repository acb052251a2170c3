"""Small simulated outside services of the example world, so that everything can be tried without a network."""

from updraft.standins.mailbox import deliver, fill_mailbox
from updraft.standins.serve import StandIns

__all__ = ["StandIns", "deliver", "fill_mailbox"]
