"""How far apart the beats of the dead-man are while everybody attacks the service."""

from drill.attack import INTERVAL_S, attack_run

SECONDS = 20.0


def beat_gap() -> float:
    """The greatest gap between beats of an output, watched on the wire, over their interval.

    Bodies without end, long sequences, guesses and lists go on all the while, twenty clients list
    and follow; raises RuntimeError when the run does not pass all the same.
    """
    found = attack_run(SECONDS)
    if found.faults:
        raise RuntimeError(" ".join(found.faults))
    return found.gap_s / INTERVAL_S
