# What the record says, as the English texts find it.

## Findings of steps and notes to them

told-not-plausible = Nicht glaubwürdig: { $instrument } { $doubt }.

## Repetitions, attempts, several units

told-repeated = { $passed } von { $times } bestanden, jede muss bestehen.
told-repeated-some = { $passed } von { $times } bestanden, { $needed } müssen bestehen.
told-repeated-stopped = { $passed } von { $times } bestanden, jede muss bestehen; angehalten nach { $count }.
told-repeated-some-stopped = { $passed } von { $times } bestanden, { $needed } müssen bestehen; angehalten nach { $count }.
told-together = Gemeinsam gemessen: Plätze { $nests }.
told-sum-undecided = Die Summe der Plätze { $nests } entschied nichts.
told-points-again = Nochmals gemessen an { $count } von { $all } Punkten; die anderen sind vom Versuch { $attempt }.
told-done-only-when = Nur getan, wenn { $when }.
told-stopped-after = Nach { $failed } wurde nichts mehr begonnen, wie es die Linie vorsieht.
told-nobody-answered = Niemand antwortete innerhalb von { $value }.
told-guard-opened = Die Schutzeinrichtung ist offen. Hände heraus, Schutzeinrichtung schließen, dann bestätigen.
told-service-stops = Der Dienst wird angehalten.
told-retried = von selbst wiederholt
told-step-failed = Schritt nicht bestanden
told-run-aborted = Lauf abgebrochen

## Insulation of nets

told-net-breaks-down-at = { $name } schlägt bei { $value } gegen alle anderen durch. Isolation ansehen.
told-net-breaks-down = { $name } schlägt gegen alle anderen durch. Isolation ansehen.
told-net-arcs-at = { $name } hat bei { $value } Lichtbögen gegen alle anderen. Nach losen Litzen sehen.
told-net-arcs = { $name } hat Lichtbögen gegen alle anderen. Nach losen Litzen sehen.
told-net-joined = { $name } ist mit einem anderen verbunden: es baut sich keine Spannung auf. Nach einem Kurzschluss sehen.
told-net-over-trip-at = { $name } zieht bei { $value } gegen alle anderen mehr als den Abschaltstrom.
told-net-over-trip = { $name } zieht gegen alle anderen mehr als den Abschaltstrom.
told-net-under-level-at = { $name } erreicht seinen Pegel nicht, bei { $value }.
told-net-under-level = { $name } erreicht seinen Pegel nicht.
told-net-over-level-at = { $name } hatte mehr als seinen Pegel, bei { $value }.
told-net-over-level = { $name } hatte mehr als seinen Pegel.
told-net-limit = { $name }: { $quantity } { $value } gegen alle anderen, verlangt ist { $value_asked }. Isolation ansehen, und nach Schmutz oder Feuchte.
told-pair-breaks-down = { $a } und { $b } schlagen gegeneinander durch. Ansehen, wo sie nebeneinander liegen.
told-pair-joined = { $a } und { $b } sind miteinander verbunden. Ansehen, wo sie nebeneinander liegen.
told-position-given-up = Die Stellung { $name } wurde aufgegeben.

## Wiring

told-not-plugged-in = Der Stecker { $name } scheint nicht gesteckt zu sein: keines seiner Netze kommt durch. Einstecken.
told-nothing-plugged-in = Nichts scheint gesteckt zu sein: keine zwei Kontakte sind verbunden. Leitung einstecken.
told-position-not-seen = Die Verdrahtung der Stellung { $name } wurde nie gesehen. Den Schalter ansehen, und die Adern, die er dort verbindet.
told-wired-like = Es ist verdrahtet wie { $name } ({ $share } der Netze): ist es die falsche Leitung, oder die falsche Sequenz?
told-crossed = { $a } und { $b } sind vertauscht: { $names }. Jede Ader an den Platz der anderen setzen.
told-ends-elsewhere = { $name } endet an { $taken } statt { $own }. Die Ader in { $own } setzen.
told-shield-open = Schirm { $name } ist bei { $names } nicht angeschlossen. Dort Klemme und Geflecht ansehen.
told-open-between = { $name } ist offen zwischen { $names }. Beide Crimpungen ansehen, dann die Ader entlang.
told-cut-off-one = { $names } ist von { $net } abgetrennt. Die Crimpung dort ansehen.
told-cut-off = { $names } sind von { $net } abgetrennt. Die Crimpung dort ansehen.
told-joined = { $a } und { $b } sind verbunden. Ansehen zwischen { $names }.
told-joined-measured = { $a } und { $b } sind verbunden ({ $value }). Ansehen zwischen { $names }.
told-joined-free = { $a } und { $b } sind verbunden. An { $names_free } gehört nichts. Ansehen zwischen { $names }.
told-joined-measured-free = { $a } und { $b } sind verbunden ({ $value }). An { $names_free } gehört nichts. Ansehen zwischen { $names }.
told-net-over = { $point } hat { $value } zwischen { $a } und { $b }, höchstens { $value_most }. Nach einer schlechten Crimpung an einem Ende sehen, oder nach gebrochenen Litzen.
told-net-under = { $point } hat { $value } zwischen { $a } und { $b }, mindestens { $value_least }. Nach einer zu kurzen oder zu dicken Ader sehen.
told-part-wrong = { $name } ist nicht das beschriebene: { $value } zwischen { $a } und { $b }, erwartet ist { $value_asked }. Ansehen, was eingebaut ist.
told-part-bridged = { $name } ist überbrückt ({ $value } zwischen { $a } und { $b }, erwartet ist { $value_asked }). Nach einem Kurzschluss zwischen { $a } und { $b } sehen.
told-part-missing = { $name } fehlt ({ $value } zwischen { $a } und { $b }, erwartet ist { $value_asked }). Die Lötstellen ansehen.
told-part-backwards = { $name } leitet rückwärts ({ $value } zwischen { $a } und { $b }, erwartet ist { $value_asked }). Nach einer Brücke sehen, oder nach einer schlechten Diode.
told-part-turned = { $name } leitet nicht von { $a } nach { $b }. Ansehen, ob es verdreht ist.
told-not-touched = { $name } wurde nicht berührt. Im Stecker suchen, und die Ader ansehen.
told-not-touched-other = { $name } wurde nicht berührt. Wo danach gefragt war, wurde { $other } berührt. Im Stecker suchen, und die Ader ansehen.
told-reaches-nothing = { $name } führt nirgendwohin.
told-reaches-not = { $name } führt zu { $names }, nicht zu { $own }.
told-reaches = { $name } führt zu { $names }.
told-open-all-time = { $name } ist zwischen { $a } und { $b } die ganze Zeit offen. Beide Crimpungen ansehen.
told-breaks-off-once = { $name } bricht zwischen { $a } und { $b } ab: einmal, längstens { $value }, zuerst { $value_first } nach Beginn. Crimpungen ansehen, und wo die Leitung die Stecker verlässt.
told-breaks-off = { $name } bricht zwischen { $a } und { $b } ab: { $count }-mal, längstens { $value }, zuerst { $value_first } nach Beginn. Crimpungen ansehen, und wo die Leitung die Stecker verlässt.

## Earth, insulation, clips

told-flexed = Der größte von { $count } Werten, während die Leitung bewegt wurde.
told-not-flexed = Niemand bestätigte, dass die Leitung bewegt wurde.
told-lead-not-zeroed = Die Prüfleitung wurde nicht abgeglichen.
told-lead-no-current = Durch die Prüfleitung kam kein Strom: ihre Klemme an den Schutzleiteranschluss setzen.
told-lead-too-much = Die Prüfleitung zeigt { $value }, mehr als die { $value_most }, die sie haben darf: ist die Klemme am Anschluss selbst?
told-lead-alone = Gelesen wurde { $value }, wie von der Prüfleitung allein: ist die Klemme am Teil?
told-stands-by-answer = { $value } gilt nach Antwort des Bedieners.
told-seemed-off = Schien ausgeschaltet bei { $value }; nochmals gemessen.
told-somebody-looked = { $name } hat nachgesehen.
told-clips-wrong = Die Klemmen waren { $count }-mal nicht richtig: { $rest }.

## Windings

told-open-winding = { $name } ist offen zwischen { $a } und { $b }.
told-capacitance = { $name } ist zwischen { $a } und { $b } eine Kapazität, keine Wicklung.
told-broke-off = Sein Strom brach ab, während er floss.
told-not-steady = { $name }: die Spannung wurde nicht beständig innerhalb von { $value }.
told-unbalance-mean = Ungleichheit: größte Abweichung vom Mittelwert, durch den Mittelwert.
told-unbalance-spread-mean = Ungleichheit: größter weniger kleinster, durch den Mittelwert.
told-unbalance-spread-least = Ungleichheit: größter weniger kleinster, durch den kleinsten.
told-ratio-no-volts = { $name }: die gespeiste Wicklung nimmt keine Spannung auf; sie ist offen oder kurzgeschlossen.
told-ratio-reads-none = { $name }: die gelesene Wicklung hat keine Spannung; sie ist offen oder kurzgeschlossen.
told-ratio-no-phase = { $name }: die gelesene Spannung ist mit der speisenden weder in Phase noch gegen sie; die Wicklung ist offen oder belastet.
told-ratio-reversed = { $name }: { $names } sind vertauscht: die Polarität ist verkehrt.
told-pulse-differs = { $name }: der Stoß von { $value } weicht um { $value_share } von dem mit { $value_former } ab: Windungen geben nach, oder ein Anschluss ist lose.
told-wobbles = Der Strom schwankt um { $value } um seinen Verlauf: ein Zeichen von Kriechstrom über eine Oberfläche, oder von schlechtem Kontakt.
told-index-says-little = R nach einer Minute liegt bei 40 °C über 5000 MΩ, wo der Index wenig sagt
told-read-too-late = Der Strom bei { $value } wurde bei { $value_came } gelesen, zu spät, um dafür zu stehen.
told-temperature-unknown = Nicht korrigiert: die Temperatur des Prüflings ist nicht bekannt; vor diesem einen Temperaturschritt einfügen.
told-insulant-unknown = Nicht auf 40 °C korrigiert: ob die Isolation thermoplastisch oder duroplastisch ist, ist nicht bekannt; im Wicklungsteil des Produkts angeben.
told-outside-correction = Die Korrektur { $formula } gilt von { $least } bis { $most } °C, und der Prüfling hat { $value } °C: der Wert bleibt wie gemessen.
told-volts-left = Die Spannung verließ { $value }, während gehalten wurde.
told-too-fast = Zu schnell gedreht gegen { $target }.
told-too-far = Gedreht bis { $value }, über { $target } hinaus.
told-nobody-turned = Niemand drehte auf { $target }.
told-current-over-range = Der Strom { $point } übersteigt den Bereich, der während eines Pegels gehalten wird.
told-step-grew-stopped = Der Strom { $point } ist das { $sign }-Fache dessen { $point_before }; angehalten vor { $value }.
told-step-grew-last = Der Strom { $point } ist das { $sign }-Fache dessen { $point_before }; es war der letzte Pegel.
told-step-departed-stopped = Der Strom { $point } liegt { $value } über der Geraden durch die Pegel davor; angehalten vor { $value_next }.
told-step-departed-last = Der Strom { $point } liegt { $value } über der Geraden durch die Pegel davor; es war der letzte Pegel.
told-thermometer-unsteady = Das Thermometer wurde nicht beständig innerhalb von { $value }.

## Pressure, figures that a device shows, stimuli

told-gauge-not-read = Das Manometer wurde nicht bis zum Ende gelesen.
told-gauge-not-nothing = Das Manometer wurde davor nicht bei null gesehen.
told-gauge-short-of = Der Druck kam auf { $value } von verlangten { $value_asked }.
told-gauge-not-whole = Das Manometer wurde nicht die ganzen { $value } gelesen.
told-gauge-from-to = Von { $value } auf { $value_last } in { $value_over }.
told-gauge-not-over = Niemand bestätigte, dass es vorbei ist.
told-nobody-said = Niemand sagte, was das Gerät anzeigt.
told-device-showed = Das Gerät zeigte { $value }, das Manometer { $value_gauge }.
told-nothing-read = Nichts wurde gelesen
told-not-settled = { $names }: { $value } nach dem Reiz gelesen, nicht eingeschwungen.
told-nobody-read = Niemand las die Werte von { $name }.
told-let-go = Was gemessen wurde, ist seit { $day } nicht mehr aufbewahrt ({ $by }), da seine Frist vorbei ist: Messwerte und Kurven sind nicht gezeigt.
told-let-go-document = Was gemessen wurde, ist seit { $day } nicht mehr aufbewahrt ({ $by }), da seine Frist vorbei ist: Messwerte und Kurven sind nicht gezeigt; { $number } hat sie.
told-ledger-entry = Eintrag { $position }, Prüfsumme { $hash }
told-never-done = Nie getan.
told-still-to-be-issued = Sein Dokument wird noch ausgestellt.
told-its-run-was = Sein Lauf wurde { $state }: ein Grund ist nicht aufbewahrt.
told-set-aside = Beiseitegelegt: { $rest }
told-going-on = { $count } Prüflinge, deren Lauf noch im Gang ist, sind ausgelassen.
told-newest = Die { $count } neuesten Prüflinge; { $beyond } ältere sind ausgelassen.
told-expected-value = { $name }: { $told }, erwartet war { $value }.

## What made an instrument doubtful

doubt-no-reading = gab keinen Wert für { $quantity }
doubt-minus-infinity = gab minus unendlich als { $quantity }
doubt-infinity = gab unendlich als { $quantity }, deren Bereich nicht bekannt ist
doubt-floor = sagt, dass { $quantity } unter seiner Auflösung liegt, und gibt { $value }
doubt-magnitude = gab { $quantity } { $value }, was ein Betrag ist
doubt-power = gab eine Leistung von { $value }, mehr als Volt mal Ampere, { $value_most }
doubt-greater = gab { $quantity } { $value }, mehr als { $quantity_other } { $value_other }
doubt-impedance = gab eine Impedanz von { $value }, und ihre R und X ergeben { $value_made }
doubt-not-how-long = sagte nicht, wie lange der Ausgang ein war
doubt-ended = endete nach { $value } von programmierten { $value_all }
doubt-held = hielt den Pegel { $value } von programmierten { $value_all }
doubt-longer = war { $value } ein, länger als programmierte { $value_all }
doubt-clock = hat eine Uhr, die zurückging, während der Ausgang ein war
doubt-greatest = gab { $value } als größten Strom und zeigte { $value_seen }
doubt-last-look = gab { $quantity } { $value }, und { $value_seen } beim letzten Blick auf den laufenden Ausgang
doubt-range = wechselte den Bereich während des Haltens ({ $rest })
doubt-paths = maß { $count } von { $all } Pfaden
doubt-paths-recorded = zeichnete { $count } von { $all } Pfaden auf
doubt-path-time = brauchte { $value } für einen Pfad, programmiert waren { $value_asked }
doubt-same = gab { $value } { $count }-mal bis zur letzten Stelle
doubt-under-nothing = ergab { $quantity } { $value }, weniger als nichts
doubt-power-factor = ergab einen Leistungsfaktor von { $value }, mehr als eins
doubt-flexed-seldom = wurde { $count }-mal gelesen, während die Leitung bewegt wurde, zu selten
doubt-vented = fiel nicht, als entlüftet wurde: es klemmt vielleicht, oder hängt an nichts
doubt-ended-itself = endete von selbst

## The gate: its requirements, and the reasons

gate-run-finished = Lauf beendet
gate-sequence-released = Sequenz freigegeben
gate-every-step-done = jeder Schritt getan
gate-every-step-passed = jeder Schritt bestanden
gate-calibration = Kalibrierung gültig
gate-expected = erwartete Prüfungen bestanden
gate-measured = von einem Messgerät gemessen
gate-readings-kept = Messwerte aufbewahrt
gate-believed = Messgeräte glaubwürdig
gate-daily-check = tägliche Kontrolle bestanden
gate-leads-zeroed = Leitungen abgeglichen
told-gate-let-go = Was gemessen wurde, ist seit { $day } nicht mehr aufbewahrt; damit wird nichts mehr bescheinigt.
told-gate-run-ended = Der Lauf kam zu seinem Ende.
told-gate-run-is = Der Lauf ist { $state }.
told-gate-revision-is = Die Revision der Sequenz ist { $state }.
told-gate-never-done = Nie getan: { $steps }.
told-gate-all-done = Jeder Schritt wurde versucht.
told-gate-unpassed = Nicht bestanden: { $steps }.
told-gate-all-passed = Jeder letzte Versuch hat bestanden.
told-gate-some-never = Manche Schritte wurden nie getan.
told-gate-out-of-date = Nicht mehr gültig: { $instruments }.
told-gate-in-date = Jedes Messgerät war gültig kalibriert.
told-gate-not-performed = Nicht ausgeführt, gemessen und bestanden: { $expected }.
told-gate-left-out = { $kind } wird ausgelassen von { $by }: { $reason }.
told-gate-all-measured = Jede Prüfung, die das Produkt verlangt, wurde gemessen.
told-gate-instruments-measured = Messgeräte haben gemessen.
told-gate-nothing-measured = Kein Messgerät hat etwas gemessen, das bestand.
told-gate-nothing-doubted = An nichts, was die Messgeräte sagten, wurde gezweifelt.
told-gate-doubted = Nicht glaubwürdig: { $rest }. Das Messgerät in Ordnung bringen und mit ihm die tägliche Kontrolle machen.
told-gate-no-check-named = Die Prüfplatzdatei nennt keine tägliche Kontrolle; eine hinzufügen.
told-gate-never-checked = Die Aufnahme wurde nie kontrolliert; die tägliche Kontrolle machen.
told-gate-check-failed = Die Kontrolle vom { $when } wurde nicht bestanden; in Ordnung bringen und nochmals kontrollieren.
told-gate-check-over = Die Kontrolle vom { $when } gilt nicht mehr; die tägliche Kontrolle nochmals machen.
told-gate-check-without = Die Kontrolle vom { $when } maß nicht mit { $names }; die tägliche Kontrolle nochmals machen.
told-gate-checked = Kontrolliert am { $when }.
told-gate-never-zeroed = Platz { $nests } wurde nie abgeglichen; die Leitungen abgleichen.
told-gate-zero-old = Der Abgleich von Platz { $nests } ist zu alt; nochmals abgleichen.
told-gate-all-zeroed = Die aller Plätze.

## What a product asks for

expected-earth-i = der Schutzleiter der Schutzklasse I
expected-conductors = die Leiter einer Leitung
expected-between-conductors = die Isolation zwischen den Leitern
expected-appliance-level = die Isolation eines Geräts bei seinem Pegel
expected-medical-level = die Isolation eines medizinischen Geräts bei seinem Pegel
expected-medical-leakage = die Ableitströme eines medizinischen Geräts
expected-winding-resistance = der Widerstand einer Wicklung
expected-winding-insulation = die Isolation einer Wicklung
expected-set-asks = was { $code } verlangt

## Corrections, and for what

why-zero = den Widerstand der Leitungen, wie abgeglichen
why-supply = die Versorgung wie gemessen, auf die Bemessungsspannung
why-temperature = die Temperatur des Prüflings, auf die Bezugstemperatur
why-temperature-how = die Temperatur des Prüflings, auf die Bezugstemperatur ({ $how })
why-supply-how = die Versorgung wie gemessen, auf die Bemessungsspannung ({ $how })
why-zero-how = den Widerstand der Leitungen, wie abgeglichen ({ $how })
how-conductors = (k + { $value_to })/(k + { $value_from }), k = { $value } °C ({ $source }), von { $value_from } °C auf { $value_to } °C
how-insulation = K = { $formula } (IEEE 43-2013), von { $value_from } °C auf { $value_to } °C

## Limits, and where they are from

source-clause-unknown = { $cited } (Fundstelle nicht genannt)
source-none = keine Quelle genannt
source-inductance = Nenninduktivität dieses Schritts
source-apart = was als getrennt gilt
source-joined = was als verbunden gilt
source-touched = was als berührt gilt
source-net = Beschreibung des Netzes
source-component = Beschreibung des Bauteils
source-nominal-resistance = Nennwiderstand des Produkts
source-temperature = was ein Prüfling haben kann
source-finds = was dieser Schritt findet
source-custom = Brauch des Fachs, aus keiner Norm
source-level = Pegel dieses Schritts
source-levels = Pegel dieses Schritts
source-ratio = Nennverhältnis dieses Schritts
source-everything = alles, was die Voreinstellungen verlangen
source-path = Angabe des Pfads
source-target-product = Zielwert { $value } des Produkts
source-target = Zielwert { $value }
source-of-product = { $name } des Produkts
source-dc-looser = { $cited }, DC mit dem { $value }-Fachen der AC; lockerer als dort { $value_set }
source-dc = { $cited }, DC mit dem { $value }-Fachen der AC
source-looser = { $cited }; lockerer als dort { $value_set }
source-edition-unknown = { $standard }, Ausgabe nicht genannt { $clause }
source-standard-edition-unknown = { $standard }, Ausgabe nicht genannt
told-not-a-number = keine Zahl
told-undecided-bound = ein Wert, der nur eine Schranke ist, entscheidet nicht
told-not-checked = mit keinem gekauften Exemplar verglichen

## Why something was left out

reason-no-protective-conductor = der Prüfling hat keinen Schutzleiter.
reason-no-earth = der Prüfling hat keine Erdung, die offen sein könnte.
reason-open-conductor = in einem offenen Leiter fließt nichts.
reason-no-second-fault = Netz am Teil ist der Fehler; einen zweiten gibt es nicht.
reason-earthed = es ist geerdet: nur bei offener Erdung kommt ein Strom von ihm.
reason-poles-tied = beide Pole sind verbunden und haben keine Polarität.
reason-behind-switch = hinter einem offenen Schalter wird ohne Netz nichts erreicht.
reason-type-b = ist vom Typ B: nicht von Erde getrennt.
reason-no-accessible-part = das Produkt beschreibt kein berührbares Teil.
reason-no-applied-part = das Produkt beschreibt kein Anwendungsteil.
reason-no-f-type = kein Anwendungsteil ist vom F-Typ.
reason-one-connection = es gibt nur einen Patientenanschluss, und keinen Strom dazwischen.
reason-only-part = { $name } ist das einzige Teil vom Typ { $type }: sein eigener Wert ist die Summe.
reason-all-earthed = es ist kein berührbares Metall beschrieben, das nicht geerdet ist.

## Answers and cues

answer-again = { $line }, Versuch { $number }
moment-before = vorher
moment-during = dabei
moment-after = nachher
moment-after_pass = nach bestanden
moment-after_fail = nach nicht bestanden

## Of what a report is

scope-serial = Seriennummer { $rest }
scope-product = Produkt { $rest }
scope-lot = Los { $rest }
scope-sequence = Sequenz { $rest }
scope-revision = Revision { $rest }
scope-verdict = Ergebnis { $outcome }
scope-cause = Ursache { $cause }
scope-failed = nicht bestandener Schritt { $rest }
scope-since = seit { $rest }
scope-until = bis { $rest }
scope-operator = Bediener { $rest }
scope-bench = Prüfplatz { $rest }
scope-fixture = Aufnahme { $rest }
scope-nest = Platz { $rest }
scope-instrument = Messgerät { $rest }
scope-place = Ort { $rest }
scope-said = Bemerkung { $rest }
scope-occasion = Anlass { $state }
scope-document = Dokument { $paper }
scope-limit_set = Grenzwertsatz { $rest }
scope-limit_revision = Revision des Grenzwertsatzes { $rest }
scope-since_renewal = seit dem Wechsel der Kontakte
scope-picked = { $count } ausgesuchte
scope-newest = von jedem Prüfling das neueste davon
