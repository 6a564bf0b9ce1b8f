# What stands on papers: certificates, reports, lot summaries, labels.

## Kinds of papers, and the lines to sign on: a site may have its own

paper-certificate = Prüfbescheinigung elektrische Sicherheit
paper-nonconformance = Abweichungsbericht
paper-lot = Loszusammenfassung
paper-report = Prüfbericht
paper-tested_by = Geprüft von
paper-approved_by = Genehmigt von (Qualität)
paper-summed_up_by = Zusammengefasst von
paper-released_by = Freigegeben von (Qualität)
paper-technician = Techniker
paper-client = Kunde
sign-on = { $title }: Name, Unterschrift, Datum

## Heads

title-of = { $title }: { $about }
title-number = { $title } { $number }, { $serial }
title-serial = { $title }, { $serial }
number = Nr. { $number }
number-of-lot = Los { $lot }
verify-at = Überprüfen unter { $url }
page = Seite
page-of = von
logo-of = Logo von { $site }
code-of = QR-Code von { $url }
bars-of = Strichcode von { $code }

## Facts

fact-unit = Prüfling
fact-unit-is = { $title } ({ $product } Rev. { $revision })
fact-serial = Seriennummer
fact-asset = Inventarnummer
fact-class = Schutzklasse
fact-lot = Los
fact-sequence = Sequenz
fact-sequence-is = { $code } Revision { $revision }
fact-occasion = Anlass
fact-tested = Geprüft
fact-issued = Ausgestellt
fact-place = Ort
fact-place-is = { $bench }, Aufnahme { $fixture }, Platz { $nest }
fact-tested-by = Geprüft von
fact-ambient = Umgebung
fact-drawn = Erstellt
fact-document = Dokument
fact-ledger = Register
fact-tells = Umfang
fact-software = Software
fact-units = Prüflinge
fact-of = Über
none = keines
not-stated = nicht angegeben
not-recorded = nicht aufgezeichnet
from-to = { $begin } bis { $end }

## Tables

head-step = Schritt und Messwert
head-measured = Gemessen
head-uncertainty = U
head-limit = Grenzwert
head-source = Quelle des Grenzwerts
head-verdict = Ergebnis
head-point = Punkt
head-serial = Seriennummer
head-latest = Letztes Ergebnis
head-times = Male
head-document = Dokument
head-nest = Platz

## Parts of the sheet

part-readings = Messwerte
part-headlines = Von jeder Art, was dem Grenzwert am nächsten ist
part-wiring = Verdrahtung
part-instruments = Messgeräte
part-grounds = Grundlagen
part-remarks = Bemerkungen
part-photos = Fotos des Prüflings
part-units = Prüflinge
part-waiting = Ausstehend
part-about = Zu diesem Bericht

## Steps

repetition = Wiederholung { $number }
at-level-as-measured = auf Pegel wie gemessen { $times }
left-out = Ausgelassen: { $what }
said-not-judged = { $reading } ist angegeben und nicht beurteilt: { $why }.
earlier = Versuch { $number }: { $outcome }.
earlier-cause = Versuch { $number }: { $outcome }, { $cause }.
shown-attempt = Versuch { $number }, hier gezeigt: { $reason }.
was = { $name } (war { $before })
corrected-one = { $names } ist korrigiert.
corrected = { $names } sind korrigiert.
corrected-one-for = { $names } ist korrigiert um { $why }.
corrected-for = { $names } sind korrigiert um { $why }.
of-count = { $point }, von { $count }

## Curves

curve-of = Kurve von { $point } über { $axis }: { $parts }.
curve = Kurve über { $axis }: { $parts }.
curve-from = { $name } von { $low } bis { $high } { $unit }
curve-empty = keine Werte
curve-marks = Marken: { $marks }

## Wiring

wiring-is = Verdrahtung, { $count } Netze. { $told }
wiring-is-at = Verdrahtung, Stellung { $position }, { $count } Netze. { $told }
wiring-no-fault = Kein Fehler ist darin.
wiring-position = In Stellung { $position }.
wiring-cut = Gezeichnet sind nur Netze, um die es bei den Fehlern geht, soweit die Seite Platz hat.

## Instruments and grounds

instrument = { $id }  { $title }, Ser.-Nr. { $serial }, kalibriert { $calibrated }, fällig { $due }, Schein { $certificate }
on-trust = Ungeprüft angenommen, da { $name } es nicht sagen kann: { $what }
rule-simple = angenommen am Grenzwert (einfache Annahme)
rule-guarded = Grenzwerte um r·U nach innen verschoben (Schutzband), r = { $share }
decision = Entscheidungsregel: { $rule }; { $software }.
limit-set = { $code } Revision { $revision } ({ $standard })
limit-sets = Grenzwertsatz { $sets }: { $checked }.
levels = Pegel und Zeiten auf Pegel sind am Prüfling gemessen. U ist die erweiterte Unsicherheit, k = { $factor }.
ambient-by = Umgebung: von { $by }, { $at }.
finding-left = Freigegeben mit einem belassenen Befund ({ $severity }). { $about }{ $finding } Belassen von { $by }: { $reason }
supersedes-certificate = Dieses Dokument ersetzt { $number }, das nicht mehr gilt.
supersedes = Dieses Dokument ersetzt { $number }.
remark = Bemerkung von { $by }: { $text }
remark-on = Bemerkung zu { $step } von { $by }: { $text }
remark-picture = (Bild { $picture })
not-certified = Nicht bescheinigt: { $name }. { $reason }
digest = SHA-256 der unterschriebenen Daten: { $digest }.
said-in = Die Daten sind englisch; was Menschen schrieben, steht wie geschrieben.

## How a document stands

revoked = WIDERRUFEN am { $at } von { $by } ({ $number }): { $reason }
superseded = ERSETZT: { $number } wurde danach ausgestellt und gilt an seiner Stelle.
is-revoked = { $number } (widerrufen)

## Lots

fact-product = Produkt
fact-order = Auftragsnummer
lot-order-none = keine
fact-serials = Seriennummern
fact-quantity = Menge
fact-opened = Eröffnet
fact-closed = Abgeschlossen
lot-not-yet = noch nicht
lot-tested-of = { $tested } von { $expected }
fact-counts = Bestanden, nicht bestanden
fact-first-pass = Ausbeute beim ersten Mal
fact-final = Ausbeute am Ende
lot-none-tested = noch keiner geprüft
fact-as-it-stood = Stand vom
lot-as-it-stood-at = Stand vom { $when }
lot-by-pattern = nur vom Muster bekannt
lot-counted = Ein Prüfling zählt einmal. Beim ersten Mal: geprüfte, die beim ersten Mal bestanden, ohne wiederholten Schritt; am Ende: geprüfte, deren letztes Ergebnis bestanden ist. Abgebrochene und unterbrochene Prüfungen sind kein Ergebnis.
lot-view = Nicht ausgestellt: dies zeigt das Los, wie es jetzt steht. Die Zusammenfassung ausstellen, dann ist sie unterschrieben.

## Reports

report-foot = Aus Lauf { $run }; keine Bescheinigung und nicht besiegelt
report-not-certified = { $verdict }, und nicht bescheinigt. { $reasons }
report-left-out = Gezeigt ist nur, was nicht bestand, von { $steps } Schritten { $kept }. Ausgelassen: { $passed } Messwerte, die bestanden, und { $free } ohne Grenzwert.
picture-gone = { $caption }: das Bild { $digest } ist nicht mehr da
depth-summary = Zusammenfassung
depth-readings = Messwerte
depth-limits = Messwerte mit Grenzwerten und Fundstellen
depth-procedure = Messwerte mit Grenzwerten und Fundstellen, Ablauf
depth-photos = Messwerte mit Grenzwerten und Fundstellen, Ablauf, Fotos
depth-only-failed = { $depth }, nur was nicht bestand

## Reports of many units

cover-units = { $count } Prüflinge
cover-of-units = { $title }: { $count } Prüflinge
cover-passed = { $count }, davon { $passed } bestanden
cover-all = alle Prüflinge in Läufen
cover-about = Es folgt der Bericht jedes Prüflings, mit eigenen Seitenzahlen. Jeder ist aus den Aufzeichnungen erstellt, wie sie sind; was ausgestellt und besiegelt wurde, ist mit seiner Nummer genannt.
cover-foot = Aus den Aufzeichnungen erstellt; keine Bescheinigung und nicht besiegelt
