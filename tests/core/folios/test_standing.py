"""Where a section stands and what that permits: every step in every state, by hand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.folios.outline import SectionDef, Turn
from rulka.core.folios.standing import Actor, SectionStanding, after, fitted, refused

TEXT = SectionDef("a", "Words", "text", writers=(Turn("ann"), Turn("bob")), reviewers=(Turn("cat"), Turn("dan")))
ALONE = SectionDef("b", "Alone", "text", writers=(Turn("ann"),))
FIGURES = SectionDef("c", "Figures", "statement", of="result", writers=(Turn("ann"),))
ANN, BOB, CAT, DAN = (Actor(name) for name in ("ann", "bob", "cat", "dan"))
OWNER, ADMIN, READER = Actor("olga", manages=True), Actor("adm", administers=True), Actor("rea")


def open_one(section=TEXT, **given_so) -> SectionStanding:
    return SectionStanding(section, "writing", **given_so)


CASES = [
    # what, now, who, step, why not (a part of it), or "" where it is permitted
    ("nobody writes before it is opened", SectionStanding(TEXT), ANN, "hold", "isn't open for writing"),
    ("nor once it is closed", SectionStanding(TEXT, "closed"), ANN, "hold", "is closed"),
    ("a remark is said whenever", SectionStanding(TEXT, "closed"), READER, "remark", ""),
    ("the first writer holds it", open_one(), ANN, "hold", ""),
    ("the second one waits", open_one(), BOB, "hold", "turn of ann"),
    ("a reader doesn't hold it", open_one(), READER, "hold", "turn of ann"),
    ("its owner may", open_one(), OWNER, "hold", ""),
    ("one at a time", open_one(holder="ann"), OWNER, "hold", "ann holds it"),
    ("not twice", open_one(holder="ann"), ANN, "hold", "hold it already"),
    ("who doesn't hold it keeps nothing", open_one(), ANN, "keep", "don't hold it"),
    ("nor what another one holds", open_one(holder="ann"), BOB, "keep", "ann holds it"),
    ("nothing isn't released", open_one(holder="ann"), ANN, "release", "nothing in it"),
    ("something is", open_one(holder="ann", has_text=True), ANN, "release", ""),
    ("nothing isn't handed in", open_one(holder="ann"), ANN, "hand in", "nothing in it"),
    ("figures need no words", open_one(FIGURES), ANN, "hand in", ""),
    ("what another holds isn't handed in", open_one(holder="olga", has_text=True), ANN, "hand in", "olga holds it"),
    ("nothing is accepted before it is handed in", open_one(), CAT, "accept", "isn't in review"),
    ("the first reviewer accepts", open_one(state="in review", turn=2), CAT, "accept", ""),
    ("the second one waits", open_one(state="in review", turn=2), DAN, "accept", "turn of cat"),
    ("a writer doesn't accept", open_one(state="in review", turn=2), ANN, "accept", "turn of cat"),
    ("what is in review isn't handed in", open_one(state="in review", turn=2, has_text=True), ANN, "hand in",
     "in review"),
    ("a reviewer holds and edits", open_one(state="in review", turn=2), CAT, "hold", ""),
    ("what a reviewer holds isn't accepted by another", open_one(state="in review", turn=2, holder="cat"), OWNER,
     "accept", "cat holds it"),
    ("done is locked", open_one(state="done"), ANN, "hold", "locked"),
    ("done isn't handed in again", open_one(state="done"), ANN, "hand in", "done already"),
    ("writers take back where they may", open_one(state="done", takes_back=True), ANN, "take back", ""),
    ("not where they may not", open_one(state="done"), ANN, "take back", "doesn't let"),
    ("the owner always", open_one(state="done"), OWNER, "take back", ""),
    ("a reviewer doesn't", open_one(state="done", takes_back=True), CAT, "take back", "don't write it"),
    ("what isn't done isn't taken back", open_one(), ANN, "take back", "isn't done"),
    ("administrators release a hold", open_one(holder="ann"), ADMIN, "free", ""),
    ("others don't", open_one(holder="ann"), CAT, "free", "Only an administrator"),
    ("where nobody holds there is none", open_one(), ADMIN, "free", "Nobody holds"),
    ("where nobody is named only the owner writes", open_one(SectionDef("d", "None", "text")), ANN, "hold",
     "Nobody is named"),
]  # fmt: skip


@pytest.mark.parametrize(("now", "who", "step", "why"), [case[1:] for case in CASES], ids=[case[0] for case in CASES])
def test_what_a_standing_permits(now, who, step, why):
    error = refused(step, now, who, "because")
    assert (error is None) == (why == ""), error
    if error is not None:
        assert why in error.message and error.hint and error.subject == now.section.title


@pytest.mark.parametrize("step", ["send back", "take back"])
def test_without_a_reason_nothing_goes_back(step):
    now = open_one(state="in review", turn=2) if step == "send back" else open_one(state="done")
    who = CAT if step == "send back" else OWNER
    error = refused(step, now, who, "   ")
    assert error is not None and error.hint == "Write a reason."
    assert refused(step, now, who, "the hedge") is None


def test_responsibility_moves_on_in_order_until_it_is_done():
    now, seen = open_one(has_text=True), []
    for who, step in ((ANN, "hand in"), (BOB, "hand in"), (CAT, "accept"), (DAN, "accept")):
        seen.append((now.state, now.responsible))
        assert refused(step, now, who) is None
        now = after(step, now, who)
    assert seen == [("to write", "ann"), ("to write", "bob"), ("in review", "cat"), ("in review", "dan")]
    assert now.state == "done" and now.responsible == "" and now.holder == ""


def test_sent_back_goes_to_the_last_writer_and_is_reviewed_again_from_the_first():
    back = after("send back", open_one(state="in review", turn=3), DAN)
    assert (back.state, back.responsible) == ("sent back", "bob")
    again = after("hand in", back, BOB)
    assert (again.state, again.responsible) == ("in review", "cat")


def test_taken_back_by_its_first_writer_it_is_theirs_and_reviewed_again():
    back = after("take back", open_one(state="done", turn=3, takes_back=True), ANN)
    assert (back.state, back.responsible) == ("sent back", "ann")
    assert after("hand in", after("hand in", back, ANN), BOB).state == "in review"


def test_without_a_reviewer_handing_in_makes_it_done():
    assert after("hand in", open_one(ALONE, holder="ann", has_text=True), ANN).state == "done"


def test_giving_up_leaves_all_else_as_it_was():
    held = after("hold", open_one(state="sent back", turn=1), BOB)
    assert held.holder == "bob" and after("give up", held, BOB) == open_one(state="sent back", turn=1)


@given(
    st.sampled_from(["to write", "in review", "sent back", "done"]), st.integers(0, 9),
    st.lists(st.sampled_from("abc"), max_size=3), st.lists(st.sampled_from("def"), max_size=3),
)  # fmt: skip
def test_a_turn_that_the_outline_lost_is_one_that_it_has(state, turn, writers, reviewers):
    section = SectionDef("x", "X", "text", writers=tuple(map(Turn, writers)), reviewers=tuple(map(Turn, reviewers)))
    now = fitted(SectionStanding(section, "writing", state, turn))
    turns = section.turns
    if now.state == "done":
        assert now.responsible == ""
    elif now.state == "in review":
        assert now.responsible in reviewers
    elif turns and writers:
        assert now.responsible in writers
