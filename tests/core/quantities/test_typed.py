"""When something was typed on a device, by the notebook's clock."""

from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.run.entries import Noted
from helvor.core.laws.constant_mass import Weighing, constancy
from helvor.core.record.entry import Entry, Typed, typed_on_device

NOW = datetime(2026, 12, 1, 10, 0, tzinfo=UTC)


def minutes(n):
    return timedelta(minutes=n)


@pytest.mark.parametrize(
    ("typed", "sent", "says"),
    [
        (0, 0, None),  # sent at once
        (-0.5, 0, None),  # within a minute
        (-20, 0, Typed(NOW - minutes(20))),  # kept for twenty minutes
        (-15, 5, Typed(NOW - minutes(20), 300)),  # the same on a device whose clock is 5 min fast
        (-80, -60, Typed(NOW - minutes(20), -3600)),  # and one hour slow
        (30, 0, Typed(None)),  # its clock was set back meanwhile
        (-60 * 24 * 90, 0, Typed(None)),  # or forward, by months
        (-60 * 24 * 365 * 50, 0, Typed(None)),
    ],
)
def test_the_time_of_typing(typed, sent, says):
    assert typed_on_device(NOW, NOW + minutes(typed), NOW + minutes(sent)) == says


@given(st.integers(61, 60 * 24 * 3600), st.integers(-(10**8), 10**8))
def test_a_clock_that_is_off_does_not_move_it(waited, off):
    sent = NOW + timedelta(seconds=off)
    found = typed_on_device(NOW, sent - timedelta(seconds=waited), sent)
    assert found is not None and found.at == NOW - timedelta(seconds=waited)
    assert found.clock_off == (off if abs(off) > 60 else 0)


def test_minutes_between_weighings_count_from_when_they_were_typed():
    """Two dryings kept on a device and sent in the same second: 30 minutes lay between them."""
    written = NOW
    first, second = (
        Entry(uuid4(), n, Noted(words="dried"), None, "", "Ida", written, Typed(NOW - minutes(ago)))
        for n, ago in ((1, 40), (2, 10))
    )
    assert second.happened - first.happened == minutes(30)
    weighings = [Weighing(1.0200, 0.001, first.happened), Weighing(1.0000, 0.001, second.happened)]
    assert constancy(weighings, "readability").again == 30.0
