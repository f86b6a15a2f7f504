"""Where a section stands, and what that permits: who writes and reviews it in turn, who holds it, what each step leads
to. One table says it all; nothing here knows where it is stored."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, Literal

from rulka.core.errors import RulkaError
from rulka.core.folios.outline import SectionDef

State = Literal["to write", "in review", "sent back", "done"]
Whole = Literal["outline", "writing", "closed"]
Step = Literal[
    "hold", "give up", "keep", "release", "hand in", "accept", "send back", "take back", "free", "remark"
]  # fmt: skip
STEPS: Final[dict[Step, str]] = {
    "hold": "held", "give up": "given up", "keep": "kept", "release": "released", "hand in": "handed in",
    "accept": "accepted", "send back": "sent back", "take back": "taken back", "free": "freed", "remark": "remarked on",
}  # fmt: skip
NEEDS_REASON: Final = ("send back", "take back")


@dataclass(frozen=True)
class SectionStanding:
    """A section as it stands. `turn` counts through writers, then reviewers; `holder` is who holds it; `has_text` that
    there is something to hand in."""

    section: SectionDef
    whole: Whole = "outline"
    state: State = "to write"
    turn: int = 0
    holder: str = ""
    has_text: bool = False
    takes_back: bool = False

    @property
    def responsible(self) -> str:
        """Whose turn it is; nobody's once it is done, or where nobody is named."""
        turns = self.section.turns
        return turns[self.turn].who if self.state != "done" and self.turn < len(turns) else ""

    @property
    def due(self) -> object:
        """The day by which it is due; None without one."""
        turns = self.section.turns
        return turns[self.turn].due if self.state != "done" and self.turn < len(turns) else None

    @property
    def shown(self) -> str:
        """Its state in one or two words."""
        return "held" if self.holder and self.state != "done" else self.state


@dataclass(frozen=True)
class Actor:
    """Who acts: their name, whether they keep the folio, whether they administer."""

    name: str
    manages: bool = False
    administers: bool = False


def refused(step: Step, now: SectionStanding, who: Actor, reason: str = "") -> RulkaError | None:
    """Why somebody may not do a step now; None where they may."""
    told = _whole(step, now) or _step(step, now, who)
    if told is None and step in NEEDS_REASON and not reason.strip():
        told = ("Nobody would know why.", "Write a reason.")
    return RulkaError(told[0], hint=told[1], subject=now.section.title, code="refused") if told else None


def _whole(step: Step, now: SectionStanding) -> tuple[str, str] | None:
    if step in ("remark", "free"):
        return None
    if now.whole == "outline":
        return "The folio isn't open for writing yet.", "Its owner opens it."
    if now.whole == "closed":
        return "The folio is closed.", "Its owner opens it again."
    return None


def _step(step: Step, now: SectionStanding, who: Actor) -> tuple[str, str] | None:
    mine = now.holder == who.name
    others = f"{now.holder} holds it." if now.holder and not mine else ""
    match step:
        case "remark":
            return None
        case "free":
            if not now.holder:
                return "Nobody holds it.", "There is nothing to free."
            may = who.administers or who.manages
            return None if may else ("Only an administrator or the folio's owner releases a hold.", "Ask one.")
        case "hold":
            return _holding(now, who, others)
        case "keep" | "release" | "give up":
            if not mine:
                return others or "You don't hold it.", "Hold it first." if not others else "Wait, or ask them."
            return _content(step, now)
        case "hand in":
            return _handing_in(now, who, others)
        case "accept" | "send back":
            if now.state != "in review":
                return "It isn't in review.", "It is handed in first."
            if others:
                return others, "Wait, or ask them to give it up."
            return _turn(now, who)
        case "take back":
            return _taking_back(now, who)


def _holding(now: SectionStanding, who: Actor, others: str) -> tuple[str, str] | None:
    if now.state == "done":
        return "It is done, and locked.", "A writer takes it back, where the owner allows that."
    if others:
        return others, "Wait, or ask them to give it up."
    if now.holder == who.name:
        return "You hold it already.", "Write."
    return _turn(now, who)


def _handing_in(now: SectionStanding, who: Actor, others: str) -> tuple[str, str] | None:
    if others:
        return others, "Wait, or ask them to give it up."
    if now.state == "in review":
        return "It is in review.", "Accept it, or send it back."
    if now.state == "done":
        return "It is done already.", "Nothing is left to hand in."
    return _turn(now, who) or _content("hand in", now)


def _taking_back(now: SectionStanding, who: Actor) -> tuple[str, str] | None:
    if now.state != "done":
        return "It isn't done.", "It can be written."
    writes = who.name in [turn.who for turn in now.section.writers]
    if not (writes or who.manages):
        return "You don't write it.", "Ask one of its writers, or the folio's owner."
    if not (now.takes_back or who.manages):
        return "The owner doesn't let writers take back what is done.", "Ask the owner."
    return None


def _turn(now: SectionStanding, who: Actor) -> tuple[str, str] | None:
    """Whose turn it is may; where nobody is named, and for the owner of the folio, who keeps it may too."""
    if who.manages or who.name == now.responsible:
        return None
    if now.responsible:
        return f"It is the turn of {now.responsible}.", "Ask them, or the folio's owner."
    return "Nobody is named for it.", "The folio's owner names a writer."


def _content(step: Step, now: SectionStanding) -> tuple[str, str] | None:
    if step in ("release", "hand in") and now.section.is_written and not now.has_text:
        return "There is nothing in it yet.", "Write it here, or upload it."
    return None


def after(step: Step, now: SectionStanding, who: Actor) -> SectionStanding:
    """Where a section stands once a step was done; nothing is asked again."""
    writers, last = len(now.section.writers), len(now.section.turns) - 1
    match step:
        case "hold":
            return replace(now, holder=who.name)
        case "give up" | "free":
            return replace(now, holder="")
        case "hand in" | "accept":
            if now.turn >= last:
                return replace(now, state="done", turn=max(last, 0), holder="")
            turn = now.turn + 1
            return replace(now, state="in review" if turn >= writers else "to write", turn=turn, holder="")
        case "send back":
            return replace(now, state="sent back", turn=max(writers - 1, 0), holder="")
        case "take back":
            names = [turn.who for turn in now.section.writers]
            turn = names.index(who.name) if who.name in names else max(writers - 1, 0)
            return replace(now, state="sent back" if now.section.reviewers else "to write", turn=turn, holder="")
        case "keep" | "release":
            return replace(now, has_text=True)
        case _:
            return now


def fitted(now: SectionStanding) -> SectionStanding:
    """A standing whose turn is still one: the outline may have lost people since."""
    writers, turns = len(now.section.writers), len(now.section.turns)
    if now.state == "done":
        return now
    if now.state == "in review":
        if not now.section.reviewers:
            return replace(now, state="to write", turn=max(writers - 1, 0))
        return replace(now, turn=min(max(now.turn, writers), turns - 1))
    return replace(now, turn=min(now.turn, max(writers - 1, 0)))
