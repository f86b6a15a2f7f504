"""A few things are kept: each made once, the one that was asked for longest ago let go."""

from rulka.core.books.few import Few


def test_the_oldest_goes_and_what_is_asked_for_stays() -> None:
    made: list[str] = []

    def make(name: str) -> str:
        return few.get(name, lambda: made.append(name) or name.upper())

    few: Few[str] = Few(2)
    assert [make(name) for name in "abab"] == ["A", "B", "A", "B"] and made == ["a", "b"]
    make("a")
    make("c")  # b goes
    assert len(few) == 2
    make("a")
    make("b")
    assert made == ["a", "b", "c", "b"]
