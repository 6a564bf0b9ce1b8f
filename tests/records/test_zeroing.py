"""A zeroing is one record of a fixture, whatever is zeroed again after it."""

import sqlite3

from loricate.records import marks, upkeep
from loricate.records.marks import keys_of


def test_a_zeroing_is_one_record_and_the_newest_of_each_contact_counts(
    conn: sqlite3.Connection,
) -> None:
    marks.watch(conn)
    leads = {f"X1:{number}": (0.03, 0.001) for number in range(64)}
    upkeep.add_zeroing(conn, "FX-H", {"1": leads, "2": leads}, "WM1", "mara")
    again = {"X1:0": (0.05, 0.001), "X1:1": (0.02, 0.001)}
    upkeep.add_zeroing(conn, "FX-H", {"2": again}, "WM1", "olle")
    marks.mark_touched(conn)
    assert len(list(keys_of(conn, marks.MARKED["zeroing"]))) == 2, "128 leads are not 128 records"
    assert not [each for each in marks.faults(conn) if "Zeroing" in each]
    found = upkeep.latest_zeroes(conn, "FX-H")
    assert found["1"]["X1:0"].ohms == 0.03
    assert [found["2"][name].ohms for name in ("X1:0", "X1:1", "X1:2")] == [0.05, 0.02, 0.03]
    last = upkeep.last_zeroing(conn, "FX-H")
    assert last is not None
    assert (last.nests, last.leads, last.most_ohms, last.account) == (("2",), 2, 0.05, "olle")
    assert upkeep.last_zeroing(conn, "FX-A") is None
    conn.execute("DROP TRIGGER zeroed_lead_is_final")
    conn.execute("UPDATE zeroed_lead SET ohms = 0.001 WHERE contact = 'X1:7'")
    conn.execute("DELETE FROM touched")
    assert any("Zeroing" in each for each in marks.faults(conn)), (
        "a lead changed from outside shows"
    )
