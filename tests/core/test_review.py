"""Review: each rule finds its mistake, says the remedy, and is quiet about a sound sequence."""

import copy
import sys
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.bench.profiles import read_profile
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.measuring.roles import BOND, LEAKAGE, WITHSTAND
from loricate.core.products.product import Product
from loricate.core.review import RULES, Reviewed, ReviewFinding, Severity, review, rules_of_kinds
from loricate.core.review.times import load_s
from loricate.core.sequences.capability import Instruments
from loricate.core.sequences.preparing import prepare
from tests.conftest import demo_limit_sets, five_steps, read_demo
from tests.rig import DEMO

LimitSets = dict[str, tuple[LimitSet, int]]
Document = dict[str, Any]
BENCH = {
    WITHSTAND: (read_profile("stand-in-withstand").capability("HV1"),),
    BOND: (read_profile("stand-in-bond").capability("GB1"),),
    LEAKAGE: (read_profile("stand-in-leakage").capability("LK1"),),
}
LOOK, EARTH, INSULATION, WITHSTANDING, LEAKING = range(5)
OWN = {"ground_bond": {"maximum": "0.5 Ω"}, "insulation": {"minimum": "1 kΩ"},
       "withstand": {"maximum": "5 mA"}, "leakage": {"maximum": "10 mA"}}  # fmt: skip


def released(limit_sets: LimitSets) -> LimitSets:
    return {
        code: (each.model_copy(update={"status": "released"}), revision)
        for code, (each, revision) in limit_sets.items()
    }


def sound() -> Document:
    """The final test, with an insulation level that suits the other sets that fit as well."""
    document = copy.deepcopy(five_steps())
    document["steps"][INSULATION]["settings"].update(level="520 V", tolerance="3 %")
    return document


def findings(
    limit_sets: LimitSets,
    change: Callable[[Document, Document], None] = lambda sequence, product: None,
    bench: Instruments | None = None,
    nests: int = 4,
) -> tuple[ReviewFinding, ...]:
    """Review the drying cabinet's final test after a change to it and its product."""
    document = sound()
    own = copy.deepcopy(read_demo("products/dc-40.toml"))
    change(document, own)
    made = Product.model_validate(own)
    sets = released(limit_sets)
    ready = prepare(document, {made.code: made}, sets)
    return review(Reviewed(ready, sets, BENCH if bench is None else bench, nests))


def test_a_sound_sequence_has_no_finding(limit_sets: LimitSets) -> None:
    assert findings(limit_sets) == ()


def test_dc_takes_no_place_of_ac_where_the_standard_gives_it_none(limit_sets: LimitSets) -> None:
    document = read_demo("sequences/wm3-final.toml")
    own = next(each for each in document["steps"] if each["kind"] == "withstand")
    own["settings"]["voltage"] = "dc"
    del own["settings"]["frequency"]
    motor = Product.model_validate(read_demo("products/wm-3.toml"))
    sets = released(limit_sets)
    ready = prepare(document, {motor.code: motor}, sets)
    found = review(Reviewed(ready, sets, BENCH, 1))
    (told,) = (each for each in found if (each.rule, each.step) == ("cited_for_another", own["id"]))
    assert told.severity is Severity.ERROR and "the step is none with voltage ac" in told.reason


Change = Callable[[Document, Document], None]


def step(index: int, **settings: Any) -> Change:
    return lambda sequence, _: sequence["steps"][index]["settings"].update(settings)


def behaves(index: int, **own: Any) -> Change:
    return lambda sequence, _: sequence["steps"][index].update(own)


def limit(index: int, name: str, **figures: str) -> Change:
    def change(sequence: Document, _: Document) -> None:
        sequence["steps"][index]["limits"][name] = {"source": "us", **figures}

    return change


PAD = {"id": "pad", "type": "BF", "terminals": ["CHASSIS"]}


def product(**own: Any) -> Change:
    return lambda _, described: described.update(own)


def both(*changes: Change) -> Change:
    def change(sequence: Document, described: Document) -> None:
        for each in changes:
            each(sequence, described)

    return change


def move(index: int, to: int) -> Change:
    def change(sequence: Document, _: Document) -> None:
        sequence["steps"].insert(to, sequence["steps"].pop(index))

    return change


def only(*indices: int) -> Change:
    def change(sequence: Document, _: Document) -> None:
        sequence["steps"] = [sequence["steps"][index] for index in indices]

    return change


def waits(index: int, *outcomes: tuple[str, str], on_fail: str = "halt_unit") -> Change:
    def change(sequence: Document, _: Document) -> None:
        sequence["steps"][EARTH]["on_fail"] = on_fail
        named = [{"step": step, "outcome": outcome} for step, outcome in outcomes]
        sequence["steps"][index]["when"] = {"all": named}

    return change


def switch_cue(at: str = "before") -> Change:
    cue = {"at": at, "text": "Switch off", "choices": ["off"], "hands_in": True}
    return behaves(LEAKING, cues=[cue])


DC = both(step(WITHSTANDING, voltage="dc", level="1.5 kV"), step(INSULATION, trip="50 mA"))
NO_MINIMUM = limit(WITHSTANDING, "current", maximum="5 mA")
CASES: list[tuple[str, Change, str, Severity, str]] = [
    (
        "charging_current", both(DC, product(filter_capacitance="4 µF")), "withstand",
        Severity.ERROR, "draws 12.00 mA during the ramp, and the trip is at 5.000 mA",
    ),
    (
        "charging_current", both(DC, product(filter_capacitance="1.4 µF")), "withstand",
        Severity.WARNING, "draws 4.200 mA",
    ),
    (
        "settling", both(step(INSULATION, settle="10 ms"), product(filter_capacitance="1 µF")),
        "insulation", Severity.WARNING, "has settled after 184.2 ms, and the delay is 10.00 ms",
    ),
    (
        "standing_current", product(filter_capacitance="20 nF"), "withstand", Severity.ERROR,
        "20.00 nF draws 6.472 mA at this level, and the maximum is 5.000 mA",
    ),
    (
        "standing_current", product(filter_capacitance="14 nF"), "withstand", Severity.WARNING,
        "4.530 mA",
    ),
    (
        "standing_current", limit(WITHSTANDING, "current", minimum="2 mA", maximum="5 mA"),
        "withstand", Severity.ERROR, "the minimum is 2.000 mA: a good unit fails",
    ),
    (
        "empty_nest", both(NO_MINIMUM, step(LEAKING, load_current="0 A"),
                           only(LOOK, INSULATION, WITHSTANDING, LEAKING)),
        "", Severity.ERROR, "an empty nest passes every step",
    ),
    ("empty_nest", NO_MINIMUM, "withstand", Severity.WARNING, "passes with nothing connected"),
    (
        "empty_nest", step(LEAKING, load_current="0 A"), "leakage", Severity.WARNING,
        "switched off or not connected",
    ),
    (
        "clip_left_on", product(clips=["CHASSIS"]), "insulation", Severity.WARNING,
        "the clip on CHASSIS is still on from 'earth'",
    ),
    (
        "clip_left_on", both(product(clips=["CHASSIS"]), behaves(EARTH, cues=[{
            "at": "after_fail", "text": "Clip off?", "choices": ["off"], "hands_in": True}])),
        "insulation", Severity.WARNING, "the clip on CHASSIS is still on from 'earth'",
    ),
    (
        "switch_not_moved", step(LEAKING, switch="off"), "leakage", Severity.WARNING,
        "needs the unit's switch off, and nobody is told to move it from on",
    ),
    (
        "switch_not_moved", both(step(LEAKING, switch="off", load_current="0 A"), switch_cue()),
        "leakage", Severity.WARNING, "passes with the unit switched on",
    ),
    (
        "earth_first", move(EARTH, 3), "earth", Severity.ERROR,
        "only after 'insulation' has put voltage on the unit",
    ),
    (
        "insulation_before_mains", move(LEAKING, 2), "leakage", Severity.WARNING,
        "run at mains before 'insulation'",
    ),
    (
        "never_reached", waits(INSULATION, ("earth", "fail")), "insulation", Severity.ERROR,
        "earth fail cannot come about",
    ),
    (
        "never_reached", waits(INSULATION, ("earth", "not_run")), "insulation", Severity.ERROR,
        "earth not run cannot come about",
    ),
    (
        "never_reached", waits(LEAKING, ("earth", "pass"), ("earth", "fail"), on_fail="carry_on"),
        "leakage", Severity.ERROR, "earth pass and earth fail",
    ),
    (
        "repeat_forgives", behaves(WITHSTANDING, repeat={"times": 3, "needed": 2}), "withstand",
        Severity.ERROR, "passes with 2 of 3: a unit that broke down can pass",
    ),
    (
        "withstand_again", behaves(WITHSTANDING, repeat={"times": 2}), "withstand",
        Severity.WARNING, "it is repeated: each time wears the insulation",
    ),
    (
        "withstand_again", behaves(WITHSTANDING, retry=1), "withstand", Severity.WARNING,
        "it is retried by itself",
    ),
    (
        "repeat_forgives", behaves(EARTH, repeat={"times": 100, "needed": 60}), "earth",
        Severity.WARNING, "passes with 60 of 100: a unit that failed can pass",
    ),
    (
        "same_terminal", step(EARTH, part="PE"), "earth", Severity.ERROR,
        "it goes from PE to itself",
    ),
    (
        "wrong_side", limit(INSULATION, "resistance", maximum="1 GΩ"), "insulation",
        Severity.ERROR, "its resistance has no minimum",
    ),
    (
        "wrong_side", limit(LEAKING, "current", minimum="0 A"), "leakage", Severity.ERROR,
        "its current has no maximum",
    ),
    (
        "loose_tolerance", step(LEAKING, tolerance="15 %"), "leakage", Severity.WARNING,
        "departs by 15 %",
    ),
    (
        "loose_tolerance", step(LEAKING, tolerance="99 %"), "leakage", Severity.ERROR,
        "departs by 99 %",
    ),
    (
        "level_of_use", step(WITHSTANDING, level="300 V"), "withstand", Severity.ERROR,
        "less than twice the rated 230.0 V",
    ),
    (
        "level_of_use", step(WITHSTANDING, dwell="50 ms"), "withstand", Severity.ERROR,
        "shorter than any standard's",
    ),
    (
        "limit_out_of_reach", limit(EARTH, "resistance", maximum="10 Ω"), "earth",
        Severity.ERROR, "more than the source can drive 22.50 A through (266.7 mΩ)",
    ),
    (
        "limit_out_of_reach", limit(INSULATION, "resistance", minimum="1 nΩ"), "insulation",
        Severity.ERROR, "less than any standard asks",
    ),
    (
        "limit_out_of_reach", limit(INSULATION, "resistance", minimum="100 kΩ"), "insulation",
        Severity.WARNING, "its trip cuts below 260.0 kΩ",
    ),
    (
        "limit_out_of_reach", limit(LEAKING, "current", maximum="1 A"), "leakage",
        Severity.ERROR, "beyond the meter's range of 50.00 mA",
    ),
    (
        "missing_kind", waits(WITHSTANDING, ("earth", "fail"), on_fail="carry_on"), "withstand",
        Severity.ERROR, "a unit that passes everything else is never tested",
    ),
    (
        "missing_kind", only(LOOK, EARTH, INSULATION, LEAKING), "", Severity.ERROR,
        "nothing tests the insulation of an appliance",
    ),
    (
        "missing_kind", only(LOOK, INSULATION, WITHSTANDING, LEAKING), "", Severity.ERROR,
        "nothing tests the protective earth of class I",
    ),
    (
        "missing_kind",
        product(medical={"applied_parts": [PAD]}), "",
        Severity.WARNING, "no leakage step measures at the applied part CHASSIS",
    ),
    (
        "short_of_standard", step(WITHSTANDING, level="900 V"), "withstand", Severity.ERROR,
        "its level of 900.0 V less 2.000 % is short of the 1.000 kV that IEC-60335-1-A/withstand",
    ),
    (
        "short_of_standard", step(WITHSTANDING, voltage="dc", level="1.4 kV"), "withstand",
        Severity.ERROR, "short of the 1.500 kV",
    ),
    (
        "short_of_standard", step(WITHSTANDING, dwell="0.5 s"), "withstand", Severity.ERROR,
        "its dwell of 500.0 ms is short of the 1.000 s",
    ),
    (
        "short_of_standard", step(EARTH, current="5 A"), "earth", Severity.ERROR,
        "its current of 5.000 A less 10.00 % is short of the 10.00 A",
    ),
    (
        "looser_than_cited",
        limit(EARTH, "resistance", maximum="0.4 Ω", source="IEC-60335-1-A"), "earth",
        Severity.ERROR, "looser than the cited ≤ 200 mΩ",
    ),
    (
        "no_source", limit(EARTH, "resistance", maximum="0.1 Ω", source=""), "earth",
        Severity.WARNING, "has no source",
    ),
    (
        "cited_for_another",
        limit(EARTH, "resistance", source="IEC-60601-1-8.6/earth-with-cord"), "earth",
        Severity.ERROR, "cites earth-with-cord, which is not for it: family appliance, not medical",
    ),
    (
        "cited_for_another",
        limit(LEAKING, "current", source="EN-50678/touch-current"), "leakage", Severity.ERROR,
        "the step is none with",
    ),
    (
        "short_of_fitting_limit", limit(EARTH, "resistance", maximum="0.5 Ω"), "earth",
        Severity.WARNING, "looser than the maximum 300.0 mΩ of EN-50678/protective-conductor",
    ),
    (
        "short_of_fitting_limit", limit(EARTH, "resistance", maximum="0.25 Ω"), "earth",
        Severity.NOTE, "looser than the maximum 200.0 mΩ of IEC-60335-1-A/",
    ),
    (
        "beyond_bench", step(WITHSTANDING, level="6 kV"), "withstand", Severity.ERROR,
        "asks for 6.000 kV, which is above 5.000 kV, the most that instrument 'HV1' can do",
    ),
    (
        "meter_range", limit(INSULATION, "resistance", minimum="20 GΩ"), "insulation",
        Severity.ERROR, "HV1 shows resistances to 10.40 GΩ at this level",
    ),
    (
        "meter_range", limit(LEAKING, "current", maximum="0.2 µA"), "leakage", Severity.ERROR,
        "is under the 500.0 nA that LK1 can show",
    ),
    (
        "meter_range", limit(LEAKING, "current", maximum="60 mA"), "leakage", Severity.WARNING,
        "is over the 50.00 mA that LK1 can show",
    ),
    (
        "guard_band",
        both(limit(LEAKING, "current", maximum="1 µA"), lambda s, _: s.update(
            decision={"rule": "guarded"})),
        "leakage", Severity.WARNING, "takes 59% of its current ≤ 1 µA",
    ),
    (
        "dominating_step", step(INSULATION, settle="60 s"), "insulation", Severity.NOTE,
        "Each second off its 60.70 s saves 4 s a load",
    ),
]  # fmt: skip


@pytest.mark.parametrize(
    ("rule", "change", "place", "severity", "says"),
    CASES,
    ids=[f"{case[0]}-{index}" for index, case in enumerate(CASES)],
)
def test_a_rule_finds_its_mistake(
    limit_sets: LimitSets, rule: str, change: Change, place: str, severity: Severity, says: str
) -> None:
    found = [each for each in findings(limit_sets, change) if each.rule == rule]
    assert {(each.step, each.severity) for each in found} == {(place, severity)}, found
    assert says in f"{found[0].reason} {found[0].remedy}"
    assert found[0].reason.endswith(".") and found[0].remedy.endswith(".")


@given(
    lacking=st.sets(st.sampled_from(
        ["supply_voltage", "supply_frequency", "rated_power", "cord", "cord_length", "mobility",
         "traits", "filter_capacitance", "protection_class"]
    )),
    family=st.sampled_from(["appliance", "medical", "winding", "cable"]),
    is_released=st.booleans(),
)  # fmt: skip
def test_a_review_says_what_it_can_of_a_product_of_which_little_is_known(
    lacking: set[str], family: str, is_released: bool
) -> None:
    """It never breaks down: what rests on a fact that nobody gave is left out."""
    known = demo_limit_sets()
    described = {**read_demo("products/dc-40.toml"), "family": family}
    if family == "medical":
        described["medical"] = {"applied_parts": [PAD]}
    own = {name: each for name, each in described.items() if name not in lacking}
    document = five_steps()
    for step in document["steps"]:
        for name in step.get("limits", {}):
            step["limits"][name] = {**OWN[step["kind"]], "source": "the engineer"}
    product = Product.model_validate(own)
    ready = prepare(document, {product.code: product}, known)
    found = review(Reviewed(ready, released(known) if is_released else known))
    assert all(each.reason and each.remedy for each in found)
    looser = {each.step for each in found if each.rule == "short_of_fitting_limit"}
    if family == "appliance" and not lacking & {"cord", "cord_length", "protection_class"}:
        assert "earth" in looser, "of the earth all is known that its limits ask for"


def test_a_draft_set_is_pointed_out(limit_sets: LimitSets, product: Product) -> None:
    ready = prepare(five_steps(), {product.code: product}, limit_sets)
    found = review(Reviewed(ready, limit_sets, BENCH))
    assert {each.rule for each in found} == {"not_compared"}
    assert "IEC-60335-1-A revision 1 is a draft" in found[1].reason


def test_every_rule_is_tried_and_explained() -> None:
    elsewhere = {
        "not_compared", "level_not_cited", "plate_is_loose", "earthed_case",
        "net_not_followed", "nets_not_parted", "loose_wiring", "loose_watch",
        "coarse_steady", "mark_out_of_time", "low_level", "loose_unbalance", "loose_ladder",
        "loose_surge", "no_temperature", "ratio_alone", "short_earthing", "loose_ratio",
        "loose_inductance", "loose_loss", "still_gauge", "same_at_every_preset",
        "clips_first",
    }  # fmt: skip
    assert set(RULES) | rules_of_kinds() == {case[0] for case in CASES} | elsewhere
    for name, rule in RULES.items():
        assert len((rule.__doc__ or "").split()) > 6, name
    page = (DEMO.parent / "docs" / "trying-a-sequence.md").read_text(encoding="utf-8")
    assert [name for name in (*RULES, *rules_of_kinds()) if f"| `{name}` |" not in page] == []


def test_the_gravest_come_first_and_a_bench_is_not_needed(limit_sets: LimitSets) -> None:
    change = both(step(WITHSTANDING, level="6 kV"), step(EARTH, current="5 A"), NO_MINIMUM)
    found = findings(limit_sets, change, bench={})
    assert [each.severity for each in found] == sorted(each.severity for each in found)
    assert {each.rule for each in found} >= {"beyond_bench", "short_of_standard", "empty_nest"}
    ready = prepare(
        sound(),
        {"DC-40": Product.model_validate(read_demo("products/dc-40.toml"))},
        limit_sets,
    )
    without = review(Reviewed(ready, released(limit_sets), None))
    assert without == ()


def test_a_clip_that_is_called_off_is_no_finding(limit_sets: LimitSets) -> None:
    def change(sequence: Document, described: Document) -> None:
        described["clips"] = ["CHASSIS"]
        sequence["steps"][INSULATION]["cues"] = [
            {"at": "before", "text": "Clip off?", "choices": ["off"], "hands_in": True}
        ]

    assert findings(limit_sets, change) == ()


def test_a_switch_that_is_moved_and_shown_is_no_finding(limit_sets: LimitSets) -> None:
    change = both(step(LEAKING, switch="off"), switch_cue())
    assert "switch_not_moved" not in {each.rule for each in findings(limit_sets, change)}
    late = both(step(LEAKING, switch="off"), switch_cue("after"))
    assert "switch_not_moved" in {each.rule for each in findings(limit_sets, late)}


def test_a_condition_that_can_come_about_is_no_finding(limit_sets: LimitSets) -> None:
    found = findings(limit_sets, waits(LEAKING, ("earth", "fail"), on_fail="carry_on"))
    assert {each.rule for each in found} == {"missing_kind"}, "it is reached, by no good unit"
    assert findings(limit_sets, waits(LEAKING, ("earth", "pass"))) == ()


def test_more_nests_take_longer_and_gain_by_the_pipeline(limit_sets: LimitSets) -> None:
    ready = prepare(
        five_steps(),
        {"DC-40": Product.model_validate(read_demo("products/dc-40.toml"))},
        limit_sets,
    )
    times = [load_s(Reviewed(ready, limit_sets, BENCH, nests)) for nests in (1, 2, 4, 8)]
    assert times == sorted(times) and times[3] < 8 * times[0]


def test_power_limits_far_from_the_plate_are_pointed_out(
    limit_sets: LimitSets, product: Product
) -> None:
    document = read_demo("sequences/dc40-final.toml")
    document["steps"][5]["limits"]["power"]["maximum"] = "9 kW"
    ready = prepare(document, {product.code: product}, limit_sets)
    found = review(Reviewed(ready, limit_sets, BENCH))
    (loose,) = [each for each in found if each.rule == "plate_is_loose"]
    assert (loose.step, loose.severity) == ("power", Severity.WARNING)


def calls_of_a_review(limit_sets: LimitSets, steps: int) -> int:
    """How many calls a review of so many steps makes: its cost, whatever the clock says."""
    document = sound()
    own = document["steps"]
    document["steps"] = [{**own[n % len(own)], "id": f"s{n}"} for n in range(steps)]
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    ready = prepare(document, {product.code: product}, limit_sets)
    reviewed = Reviewed(ready, limit_sets, BENCH, 4)
    count = 0

    def profile(frame: Any, event: str, arg: Any) -> None:
        nonlocal count
        count += event in ("call", "c_call")

    sys.setprofile(profile)
    try:
        review(reviewed)
    finally:
        sys.setprofile(None)
    return count


def test_a_review_takes_time_in_proportion_to_the_steps(limit_sets: LimitSets) -> None:
    """At most n log n: 500 steps were minutes of work before."""
    few, many = (calls_of_a_review(limit_sets, steps) for steps in (125, 500))
    assert many < 4 * few * 1.4
