"""Counts that are kept."""

import threading

import pytest

from graupel.caching import KeptCounts


def test_what_many_want_at_once_is_made_once():
    kept, made = KeptCounts(), []
    start = threading.Barrier(6)
    slow = threading.Event()

    def make():
        made.append(1)
        slow.wait(0.2)
        return "result"

    results = []

    def want():
        start.wait()
        results.append(kept.get("key", make))

    threads = [threading.Thread(target=want) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (made, results) == ([1], ["result"] * 6)


def test_a_failure_is_not_kept():
    kept = KeptCounts()
    with pytest.raises(ZeroDivisionError):
        kept.get("key", lambda: 1 / 0)
    assert kept.get("key", lambda: 2) == 2


def test_the_least_used_is_forgotten_first_and_the_old_is_made_again():
    kept = KeptCounts(most=2)
    for key in ("a", "b", "a", "c"):
        kept.get(key, lambda key=key: key)
    assert kept.get("a", lambda: "again") == "a"
    assert kept.get("b", lambda: "again") == "again"
    assert [KeptCounts(seconds=0).get("a", lambda n=n: n) for n in (1, 2)] == [1, 2]
