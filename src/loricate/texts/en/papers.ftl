# What stands on papers: certificates, reports, lot summaries, labels.

## Kinds of papers, and the lines to sign on: a site may have its own

paper-certificate = Certificate of electrical safety test
paper-nonconformance = Nonconformance report
paper-lot = Lot summary
paper-report = Test report
paper-tested_by = Tested by
paper-approved_by = Approved by (quality)
paper-summed_up_by = Summed up by
paper-released_by = Released by (quality)
paper-technician = Technician
paper-client = Client
sign-on = { $title }: name, signature, date

## Heads

title-of = { $title } of { $about }
title-number = { $title } { $number }, { $serial }
title-serial = { $title }, { $serial }
number = No. { $number }
number-of-lot = Lot { $lot }
verify-at = Verify at { $url }
page = page
page-of = of
logo-of = Logo of { $site }
code-of = QR code of { $url }
bars-of = Bar code of { $code }

## Facts

fact-unit = Unit
fact-unit-is = { $title } ({ $product } rev. { $revision })
fact-serial = Serial
fact-asset = Asset
fact-class = Protection class
fact-lot = Lot
fact-sequence = Sequence
fact-sequence-is = { $code } revision { $revision }
fact-occasion = Occasion
fact-tested = Tested
fact-issued = Issued
fact-place = Place
fact-place-is = { $bench }, fixture { $fixture }, nest { $nest }
fact-tested-by = Tested by
fact-ambient = Ambient
fact-drawn = Drawn
fact-document = Document
fact-ledger = Ledger
fact-tells = Tells
fact-software = Software
fact-units = Units
fact-of = Of
none = none
not-stated = not stated
not-recorded = not recorded
from-to = { $begin } to { $end }

## Tables

head-step = Step and reading
head-measured = Measured
head-uncertainty = U
head-limit = Limit
head-source = Source of the limit
head-verdict = Verdict
head-point = Point
head-serial = Serial
head-latest = Latest verdict
head-times = Times
head-document = Document
head-nest = Nest

## Parts of the sheet

part-readings = Readings
part-headlines = Of each kind what is nearest to its limit
part-wiring = Wiring
part-instruments = Instruments
part-grounds = Grounds
part-remarks = Remarks
part-photos = Photos of the unit
part-units = Units
part-waiting = Waiting
part-about = About this report

## Steps

repetition = Repetition { $number }
at-level-as-measured = at level as measured { $times }
left-out = Left out: { $what }
said-not-judged = { $reading } is said and not judged: { $why }.
earlier = Attempt { $number }: { $outcome }.
earlier-cause = Attempt { $number }: { $outcome }, { $cause }.
shown-attempt = Attempt { $number }, shown here: { $reason }.
was = { $name } (was { $before })
corrected-one = { $names } is corrected.
corrected = { $names } are corrected.
corrected-one-for = { $names } is corrected for { $why }.
corrected-for = { $names } are corrected for { $why }.
of-count = { $point }, of { $count }

## Curves

curve-of = Curve of { $point } over { $axis }: { $parts }.
curve = Curve over { $axis }: { $parts }.
curve-from = { $name } from { $low } to { $high } { $unit }
curve-empty = no values
curve-marks = marks: { $marks }

## Wiring

wiring-is = Wiring, { $count } nets. { $told }
wiring-is-at = Wiring, position { $position }, { $count } nets. { $told }
wiring-no-fault = No fault is in it.
wiring-position = In position { $position }.
wiring-cut = Only nets that the faults are about are drawn, as far as the page has room.

## Instruments and grounds

instrument = { $id }  { $title }, serial { $serial }, calibrated { $calibrated }, due { $due }, certificate { $certificate }
on-trust = Taken on trust, since { $name } cannot say: { $what }
rule-simple = accepted at the limit (simple acceptance)
rule-guarded = limits moved in by r·U (guard band), r = { $share }
decision = Decision rule: { $rule }; { $software }.
limit-set = { $code } revision { $revision } ({ $standard })
limit-sets = Limit set { $sets }: { $checked }.
levels = Levels and times at level are as measured at the unit. U is the expanded uncertainty, k = { $factor }.
ambient-by = Ambient conditions: by { $by }, { $at }.
finding-left = Released with a finding left ({ $severity }). { $about }{ $finding } Left by { $by }: { $reason }
supersedes-certificate = This document supersedes { $number }, which no longer counts.
supersedes = This document supersedes { $number }.
remark = Remark by { $by }: { $text }
remark-on = Remark on { $step } by { $by }: { $text }
remark-picture = (picture { $picture })
not-certified = Not certified: { $name }. { $reason }
digest = SHA-256 of the signed data: { $digest }.
said-in = The data are in English; what people wrote stands as written.

## How a document stands

revoked = REVOKED on { $at } by { $by } ({ $number }): { $reason }
superseded = SUPERSEDED: { $number } was issued after it and counts in its place.
is-revoked = { $number } (revoked)

## Lots

fact-product = Product
fact-order = Order number
lot-order-none = none
fact-serials = Serials
fact-quantity = Quantity
fact-opened = Opened
fact-closed = Closed
lot-not-yet = not yet
lot-tested-of = { $tested } of { $expected }
fact-counts = Passed, failed
fact-first-pass = First-pass yield
fact-final = Final yield
lot-none-tested = none tested yet
fact-as-it-stood = As it stood
lot-as-it-stood-at = As it stood at { $when }
lot-by-pattern = known by the pattern only
lot-counted = A unit counts once. First pass: tested units that passed the first time, no step repeated; final: tested units whose latest verdict is pass. Aborted and interrupted tests are no verdict.
lot-view = Not issued: this shows the lot as it stands now. Issue the summary for a signed one.

## Reports

report-foot = From the record of run { $run }; it is no certificate and not sealed
report-not-certified = { $verdict }, and not certified. { $reasons }
report-left-out = Only what did not pass is shown, of { $steps } steps { $kept }. Left out: { $passed } readings that passed and { $free } that have no limit.
picture-gone = { $caption }: the picture { $digest } is gone
depth-summary = summary
depth-readings = readings
depth-limits = readings with limits and clauses
depth-procedure = readings with limits and clauses, procedure
depth-photos = readings with limits and clauses, procedure, photos
depth-only-failed = { $depth }, only what did not pass

## Reports of many units

cover-units = { $count } units
cover-of-units = { $title } of { $count } units
cover-passed = { $count }, of which { $passed } passed
cover-all = all units in runs
cover-about = The report of each unit follows, with pages numbered by themselves. Each is drawn from the record as it is; what was issued and sealed is named by its number.
cover-foot = Drawn from the records; it is no certificate and not sealed
