"""Rights: what somebody may do, apart from what they may see; and the roles, which are bundles of rights."""

from __future__ import annotations

from collections.abc import Mapping

EDIT = "edit"
CLOSE = "close periods"
CHANGE = "change master data"
LOAD = "accept loads"
EXPLAIN = "explain"
ACCEPT = "accept explanations"
GIVE = "set rights"
RELEASE = "release"

RIGHTS: Mapping[str, str] = {
    EDIT: "make and change statements, worksheets and their parts",
    CLOSE: "close periods and open them again",
    CHANGE: "change accounts, members, entries and rules by hand",
    LOAD: "pull through feeds, accept and drop loads",
    EXPLAIN: "explain variances",
    ACCEPT: "accept explanations, send them back, keep editions without",
    GIVE: "give rights, groups and bounds to others",
    RELEASE: "release what is sent to others",
}
"""Each right, and what it lets somebody do."""

KEEPING = (EDIT, CLOSE, CHANGE, LOAD)
ROLES: Mapping[str, tuple[str, ...]] = {
    "accountant": (*KEEPING, EXPLAIN),
    "controller": (*KEEPING, EXPLAIN, ACCEPT, GIVE, RELEASE),
    "lead": (EXPLAIN,),
    "director": (),
    "administrator": (*KEEPING, GIVE),
}
"""The rights that come with each role; others are given to a person or a group."""
