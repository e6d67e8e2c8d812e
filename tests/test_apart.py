"""Work in a process apart."""

import os

import pytest

from graupel import apart
from graupel.core.errors import Refused


def _refuse() -> None:
    raise Refused.because("x", "Not so.")


def test_a_refusal_comes_back_as_one_and_its_process_works_on():
    first = apart.do(os.getpid)
    for _ in range(3):
        with pytest.raises(Refused, match="Not so"):
            apart.do(_refuse)
    assert apart.do(os.getpid) == first != os.getpid()
