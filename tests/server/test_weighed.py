"""What is kept at hand."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

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


def test_others_answer_while_one_is_being_loaded_and_it_is_loaded_once():
    loaded, begun, go_on = [], threading.Event(), threading.Event()

    def load(key):
        loaded.append(key)
        if key == "slow":
            begun.set()
            assert go_on.wait(300)
        return key.upper()

    held = Weighed(load, lambda thing: 1.0, 10.0)
    held("quick")
    with ThreadPoolExecutor(3) as pool:
        slow = [pool.submit(held, "slow") for _ in range(2)]
        assert begun.wait(300)
        assert held("quick") == "QUICK" and held("other") == "OTHER"
        assert not any(answer.done() for answer in slow)
        go_on.set()
        assert [answer.result(60) for answer in slow] == ["SLOW", "SLOW"]
    assert loaded == ["quick", "slow", "other"]


def test_what_could_not_be_loaded_is_tried_again_the_next_time():
    tries = []

    def load(key):
        tries.append(key)
        if len(tries) == 1:
            raise OSError("gone")
        return 1

    held = Weighed(load, float, 10.0)
    with pytest.raises(OSError):
        held("a")
    assert held("a") == 1
