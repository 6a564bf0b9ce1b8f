# What the record says: sentences with figures and names in their places, by which they are found.
#
# A place is said again by its name: value… is a figure, point… a point; quantity…, kind… and state…
# are the service's own words; names… is a list; cited, doubt and expected are texts of their groups.
# Whatever else stands in a place stays as it is.

## Findings of steps and notes to them

told-not-plausible = Not plausible: { $instrument } { $doubt }.

## Repetitions, attempts, several units

told-repeated = { $passed } passed of { $times } times, each must pass.
told-repeated-some = { $passed } passed of { $times } times, { $needed } must pass.
told-repeated-stopped = { $passed } passed of { $times } times, each must pass; stopped after { $count }.
told-repeated-some-stopped = { $passed } passed of { $times } times, { $needed } must pass; stopped after { $count }.
told-together = Measured together: nests { $nests }.
told-sum-undecided = The sum of nests { $nests } decided nothing.
told-points-again = Measured again at { $count } of { $all } points; the others are of attempt { $attempt }.
told-done-only-when = Done only when { $when }.
told-stopped-after = Nothing more was begun after { $failed }, as the line has it.
told-nobody-answered = Nobody answered within { $value }.
told-guard-opened = The guard is open. Take your hands out and close the guard, then say so.
told-service-stops = The service is stopping.
told-retried = retried by itself
told-step-failed = step failed
told-run-aborted = run aborted

## Insulation of nets

told-net-breaks-down-at = { $name } breaks down at { $value } against all others. Look at its insulation.
told-net-breaks-down = { $name } breaks down against all others. Look at its insulation.
told-net-arcs-at = { $name } arcs at { $value } against all others. Look for loose strands.
told-net-arcs = { $name } arcs against all others. Look for loose strands.
told-net-joined = { $name } is joined to another: no volts come up. Look for a short.
told-net-over-trip-at = { $name } draws more than the trip at { $value } against all others.
told-net-over-trip = { $name } draws more than the trip against all others.
told-net-under-level-at = { $name } does not come up to its level at { $value }.
told-net-under-level = { $name } does not come up to its level.
told-net-over-level-at = { $name } had more than its level at { $value }.
told-net-over-level = { $name } had more than its level.
told-net-limit = { $name } has a { $quantity } of { $value } against all others, where { $value_asked } is asked. Look at its insulation, and for dirt or damp.
told-pair-breaks-down = { $a } and { $b } break down to each other. Look where they lie side by side.
told-pair-joined = { $a } and { $b } are joined to each other. Look where they lie side by side.
told-position-given-up = Position { $name } was given up.

## Wiring

told-not-plugged-in = Connector { $name } seems not to be plugged in: none of its nets comes through. Plug it in.
told-nothing-plugged-in = Nothing seems to be plugged in: no two contacts are joined. Plug the cable in.
told-position-not-seen = The wiring of position { $name } was never seen. Look at the switch, and at the wires that it joins there.
told-wired-like = It is wired like { $name } ({ $share } of the nets): is it the wrong cable, or the wrong sequence?
told-crossed = { $a } and { $b } are crossed: { $names } are exchanged. Put each wire into the other's place.
told-ends-elsewhere = { $name } ends at { $taken } instead of { $own }. Put its wire into { $own }.
told-shield-open = Shield { $name } is not connected at { $names }. Look at its clamp or its braid there.
told-open-between = { $name } is open between { $names }. Look at both crimps, then along the wire.
told-cut-off-one = { $names } is cut off from { $net }. Look at the crimp there.
told-cut-off = { $names } are cut off from { $net }. Look at the crimp there.
told-joined = { $a } and { $b } are joined. Look between { $names }.
told-joined-measured = { $a } and { $b } are joined ({ $value }). Look between { $names }.
told-joined-free = { $a } and { $b } are joined. Nothing should be wired to { $names_free }. Look between { $names }.
told-joined-measured-free = { $a } and { $b } are joined ({ $value }). Nothing should be wired to { $names_free }. Look between { $names }.
told-net-over = { $point } has { $value } between { $a } and { $b }, at most { $value_most }. Look for a bad crimp at either end, or broken strands.
told-net-under = { $point } has { $value } between { $a } and { $b }, at least { $value_least }. Look for a wire that is too short or too thick.
told-part-wrong = { $name } is not the one described: { $value } between { $a } and { $b }, where { $value_asked } is expected. Look at what is fitted.
told-part-bridged = { $name } is bridged ({ $value } between { $a } and { $b }, where { $value_asked } is expected). Look for a short between { $a } and { $b }.
told-part-missing = { $name } is missing ({ $value } between { $a } and { $b }, where { $value_asked } is expected). Look at its joints.
told-part-backwards = { $name } conducts backwards ({ $value } between { $a } and { $b }, where { $value_asked } is expected). Look for a bridge, or a bad diode.
told-part-turned = { $name } does not conduct from { $a } to { $b }. Look whether it is turned.
told-not-touched = { $name } was not touched. Look for it in the plug, and at its wire.
told-not-touched-other = { $name } was not touched. Where it was asked for, { $other } was touched. Look for it in the plug, and at its wire.
told-reaches-nothing = { $name } reaches nothing.
told-reaches-not = { $name } reaches { $names }, not { $own }.
told-reaches = { $name } reaches { $names }.
told-open-all-time = { $name } is open between { $a } and { $b } all the time. Look at both crimps.
told-breaks-off-once = { $name } breaks off between { $a } and { $b }: once, for { $value } at the longest, first { $value_first } into the watch. Look at its crimps, and where the lead leaves the plugs.
told-breaks-off = { $name } breaks off between { $a } and { $b }: { $count } times, for { $value } at the longest, first { $value_first } into the watch. Look at its crimps, and where the lead leaves the plugs.

## Earth, insulation, clips

told-flexed = The greatest of { $count } readings while the cord was flexed.
told-not-flexed = Nobody said that the cord was flexed.
told-lead-not-zeroed = The test lead was not zeroed.
told-lead-no-current = No current came through the lead: put its clip on the earth terminal.
told-lead-too-much = The lead reads { $value }, more than the { $value_most } it may have: is its clip on the terminal itself?
told-lead-alone = It read { $value }, as its lead does alone: is the clip on the part?
told-stands-by-answer = { $value } stands by answer of the operator.
told-seemed-off = Seemed switched off at { $value }; measured again.
told-somebody-looked = { $name } has looked.
told-clips-wrong = The clips were not right { $count } times: { $rest }.

## Windings

told-open-winding = { $name } is open between { $a } and { $b }.
told-capacitance = { $name } is a capacitance between { $a } and { $b }, no winding.
told-broke-off = Its current broke off while it was on.
told-not-steady = { $name }: the volts did not become steady within { $value }.
told-unbalance-mean = Unbalance: greatest deviation from the mean, over the mean.
told-unbalance-spread-mean = Unbalance: greatest less least, over the mean.
told-unbalance-spread-least = Unbalance: greatest less least, over the least.
told-ratio-no-volts = { $name }: the driven winding takes no volts; it is open or shorted.
told-ratio-reads-none = { $name }: the winding that is read has no volts; it is open or shorted.
told-ratio-no-phase = { $name }: the volts that are read are neither in phase with those that drive nor against them; the winding is open or loaded.
told-ratio-reversed = { $name }: { $names } are exchanged: polarity is reversed.
told-pulse-differs = { $name }: the pulse of { $value } differs by { $value_share } from the one of { $value_former }: turns give way, or a lead is loose.
told-wobbles = The current wobbles by { $value } about its curve: a sign of leakage over a surface, or of a bad contact.
told-index-says-little = R at one minute is above 5000 MΩ at 40 °C, where the index says little
told-read-too-late = The current at { $value } was read at { $value_came }, which is too late to stand for it.
told-temperature-unknown = Not corrected: the unit's temperature is not known; add a temperature step before this one.
told-insulant-unknown = Not corrected to 40 °C: whether the insulation is thermoplastic or thermosetting is not known; say so in the product's winding section.
told-outside-correction = The correction { $formula } is given from { $least } to { $most } °C, and the unit has { $value } °C: the reading stays as measured.
told-volts-left = The volts left { $value } while it was held.
told-too-fast = Turned too fast towards { $target }.
told-too-far = Turned to { $value }, beyond { $target }.
told-nobody-turned = Nobody turned to { $target }.
told-current-over-range = The current { $point } is over the range, which is held during a level.
told-step-grew-stopped = The current { $point } is { $sign } times that { $point_before }; stopped before { $value }.
told-step-grew-last = The current { $point } is { $sign } times that { $point_before }; it was the last level.
told-step-departed-stopped = The current { $point } is { $value } above the line through the levels before; stopped before { $value_next }.
told-step-departed-last = The current { $point } is { $value } above the line through the levels before; it was the last level.
told-thermometer-unsteady = The thermometer did not become steady within { $value }.

## Pressure, figures that a device shows, stimuli

told-gauge-not-read = The gauge was not read to its end.
told-gauge-not-nothing = The gauge was not seen at nothing before.
told-gauge-short-of = The pressure came to { $value } of the { $value_asked } asked for.
told-gauge-not-whole = The gauge was not read for the whole { $value }.
told-gauge-from-to = From { $value } to { $value_last } in { $value_over }.
told-gauge-not-over = Nobody said that it is over.
told-nobody-said = Nobody said what the device shows.
told-device-showed = The device showed { $value }, the gauge { $value_gauge }.
told-nothing-read = Nothing was read
told-not-settled = { $names }: read { $value } after the stimulus, not settled.
told-nobody-read = Nobody read the figures of { $name }.
told-let-go = What was measured was let go on { $day } by { $by }, the time for which it is kept being over: no readings or curves are shown.
told-let-go-document = What was measured was let go on { $day } by { $by }, the time for which it is kept being over: no readings or curves are shown; { $number } has them.
told-ledger-entry = entry { $position }, hash { $hash }
told-never-done = Never done.
told-still-to-be-issued = Its document is still to be issued.
told-its-run-was = Its run was { $state }: no reason is kept.
told-set-aside = Set aside: { $rest }
told-going-on = { $count } units whose run goes on are left out.
told-newest = The newest { $count } units; { $beyond } older ones are left out.
told-expected-value = { $name }: { $told } where { $value } was expected.

## What made an instrument doubtful

doubt-no-reading = gave no reading of { $quantity }
doubt-minus-infinity = gave minus infinity as { $quantity }
doubt-infinity = gave infinity as { $quantity }, whose range is not known
doubt-floor = says that { $quantity } is under its floor and gives { $value }
doubt-magnitude = gave { $quantity } of { $value }, which is a magnitude
doubt-power = gave a power of { $value }, more than volts by amperes, { $value_most }
doubt-greater = gave { $quantity } of { $value }, more than { $quantity_other } of { $value_other }
doubt-impedance = gave an impedance of { $value }, and its R and X make { $value_made }
doubt-not-how-long = did not say how long its output was on
doubt-ended = ended after { $value } of the { $value_all } programmed
doubt-held = held its level for { $value } of the { $value_all } programmed
doubt-longer = was on for { $value }, longer than the { $value_all } programmed
doubt-clock = has a clock that went back while its output was on
doubt-greatest = gave { $value } as its greatest current and showed { $value_seen }
doubt-last-look = gave { $quantity } of { $value }, and { $value_seen } at the last look at its running output
doubt-range = changed its range during the hold ({ $rest })
doubt-paths = measured { $count } of { $all } paths
doubt-paths-recorded = recorded { $count } of { $all } paths
doubt-path-time = took { $value } for a path, programmed for { $value_asked }
doubt-same = gave { $value } { $count } times to the last digit
doubt-under-nothing = made a { $quantity } of { $value }, which is less than nothing
doubt-power-factor = made a power factor of { $value }, which is more than one
doubt-flexed-seldom = was looked at { $count } times while the cord was flexed, too seldom
doubt-vented = did not fall when the cuff was vented: it may have stuck, or hang on nothing
doubt-ended-itself = ended by itself

## The gate: its requirements, and the reasons

gate-run-finished = run finished
gate-sequence-released = sequence released
gate-every-step-done = every step done
gate-every-step-passed = every step passed
gate-calibration = calibration in date
gate-expected = expected tests passed
gate-measured = measured by an instrument
gate-readings-kept = readings kept
gate-believed = instruments believed
gate-daily-check = daily check passed
gate-leads-zeroed = leads zeroed
told-gate-let-go = What was measured was let go on { $day }; nothing is certified by it any more.
told-gate-run-ended = The run came to its end.
told-gate-run-is = The run is { $state }.
told-gate-revision-is = The sequence's revision is { $state }.
told-gate-never-done = Never done: { $steps }.
told-gate-all-done = Each step has an attempt.
told-gate-unpassed = Not passed: { $steps }.
told-gate-all-passed = Each latest attempt passed.
told-gate-some-never = Some steps were never done.
told-gate-out-of-date = Out of date: { $instruments }.
told-gate-in-date = Each instrument was in date.
told-gate-not-performed = Not performed, measured and passed: { $expected }.
told-gate-left-out = { $kind } is left out by { $by }: { $reason }.
told-gate-all-measured = Each test that the product asks for was measured.
told-gate-instruments-measured = Instruments measured.
told-gate-nothing-measured = No instrument measured anything that passed.
told-gate-nothing-doubted = Nothing that the instruments said was doubted.
told-gate-doubted = Not plausible: { $rest }. Put the instrument right and do the daily check with it.
told-gate-no-check-named = The bench file names no daily check; add one.
told-gate-never-checked = The fixture was never checked; do its daily check.
told-gate-check-failed = The check of { $when } failed; put it right and check again.
told-gate-check-over = The check of { $when } is over; do the daily check again.
told-gate-check-without = The check of { $when } did not measure with { $names }; do the daily check again.
told-gate-checked = Checked { $when }.
told-gate-never-zeroed = Nest { $nests } was never zeroed; zero its leads.
told-gate-zero-old = The zero of nest { $nests } is too old; zero again.
told-gate-all-zeroed = The leads of each nest are zeroed.

## What a product asks for

expected-earth-i = the protective earth of class I
expected-conductors = the conductors of a cable
expected-between-conductors = the insulation between the conductors
expected-appliance-level = the insulation of an appliance at its level
expected-medical-level = the insulation of medical equipment at its level
expected-medical-leakage = the leakage currents of medical equipment
expected-winding-resistance = the resistance of a winding
expected-winding-insulation = the insulation of a winding
expected-set-asks = what { $code } asks

## Corrections, and for what

why-zero = the resistance of the leads, as it was zeroed
why-supply = the supply as it was measured, to the rated voltage
why-temperature = the temperature of the unit, to the reference temperature
why-temperature-how = the temperature of the unit, to the reference temperature ({ $how })
why-supply-how = the supply as it was measured, to the rated voltage ({ $how })
why-zero-how = the resistance of the leads, as it was zeroed ({ $how })
how-conductors = (k + { $value_to })/(k + { $value_from }), k = { $value } °C ({ $source }), from { $value_from } °C to { $value_to } °C
how-insulation = K = { $formula } (IEEE 43-2013), from { $value_from } °C to { $value_to } °C

## Limits, and where they are from

source-clause-unknown = { $cited } (clause not stated)
source-none = no source given
source-inductance = the nominal inductance of this step
source-apart = what counts as apart
source-joined = what counts as joined
source-touched = what counts as touched
source-net = description of the net
source-component = description of the component
source-nominal-resistance = the product's nominal resistance
source-temperature = what a unit that is tested can have
source-finds = what this step finds
source-custom = trade custom, of no standard
source-level = the level of this step
source-levels = the levels of this step
source-ratio = the nominal ratio of this step
source-everything = all that the presets ask
source-path = figure of the path
source-target-product = target { $value } of the product
source-target = target { $value }
source-of-product = { $name } of the product
source-dc-looser = { $cited }, DC at { $value } times its AC; looser than its { $value_set }
source-dc = { $cited }, DC at { $value } times its AC
source-looser = { $cited }; looser than its { $value_set }
source-edition-unknown = { $standard }, edition not stated { $clause }
source-standard-edition-unknown = { $standard }, edition not stated
told-not-a-number = not a number
told-undecided-bound = bounded reading cannot decide
told-not-checked = not checked against a purchased copy

## Why something was left out

reason-no-protective-conductor = the unit has no protective conductor.
reason-no-earth = the unit has no earth that could open.
reason-open-conductor = nothing flows in a conductor that is open.
reason-no-second-fault = mains on the part is the fault; there is no second one.
reason-earthed = it is earthed: a current comes from it with the earth open alone.
reason-poles-tied = both poles are tied, and have no polarity.
reason-behind-switch = nothing behind an open switch is reached without mains.
reason-type-b = is of type B: not isolated from earth.
reason-no-accessible-part = the product describes no accessible part.
reason-no-applied-part = the product describes no applied part.
reason-no-f-type = no applied part is of an F-type.
reason-one-connection = there is one patient connection, and no current between it.
reason-only-part = { $name } is the only part of type { $type }: its own reading is the total.
reason-all-earthed = no accessible metal is described that is not earthed.

## Answers and cues

answer-again = { $line }, attempt { $number }
moment-before = before
moment-during = during
moment-after = after
moment-after_pass = after pass
moment-after_fail = after fail

## Of what a report is

scope-serial = serial { $rest }
scope-product = product { $rest }
scope-lot = lot { $rest }
scope-sequence = sequence { $rest }
scope-revision = revision { $rest }
scope-verdict = verdict { $outcome }
scope-cause = cause { $cause }
scope-failed = failed { $rest }
scope-since = since { $rest }
scope-until = until { $rest }
scope-operator = operator { $rest }
scope-bench = bench { $rest }
scope-fixture = fixture { $rest }
scope-nest = nest { $rest }
scope-instrument = instrument { $rest }
scope-place = place { $rest }
scope-said = said { $rest }
scope-occasion = occasion { $state }
scope-document = document { $paper }
scope-limit_set = limit set { $rest }
scope-limit_revision = limit revision { $rest }
scope-since_renewal = since renewal True
scope-picked = { $count } picked
scope-newest = of each unit the newest of these
