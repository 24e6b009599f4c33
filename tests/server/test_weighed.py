"""What is kept at hand."""

from studies.api.weighed import Weighed


def test_the_one_not_asked_for_longest_goes_when_all_are_too_heavy():
    loaded = []

    def load(key):
        loaded.append(key)
        return int(key)

    held = Weighed(load, float, 10.0)
    assert [held(k) for k in ("4", "5", "4")] == [4, 5, 4] and loaded == ["4", "5"]
    held("3")  # with 4 and 5 it is too much: 5 was asked for before 4
    held("4")
    assert loaded == ["4", "5", "3"]
    held("5")
    assert loaded == ["4", "5", "3", "5"]


def test_one_that_is_too_heavy_by_itself_is_kept():
    loaded = []
    held = Weighed(lambda key: loaded.append(key) or 99, float, 10.0)
    assert held("a") == held("a") == 99 and loaded == ["a"]
    held("b")
    held("a")
    assert loaded == ["a", "b", "a"]
    held.cache_clear()
    held("a")
    assert loaded == ["a", "b", "a", "a"]
