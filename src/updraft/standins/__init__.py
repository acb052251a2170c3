"""Small simulated outside services of the example world, so that everything can be tried without a network."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.standins.mailbox import deliver, fill_mailbox
    from updraft.standins.serve import StandIns

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__, submod_attrs={"mailbox": ["deliver", "fill_mailbox"], "serve": ["StandIns"]}
)
__all__ = ["StandIns", "deliver", "fill_mailbox"]
