# The service's own words, by what they are words for. A setting that takes words says of which group.

## Verdicts, as papers show them

verdict-pass = BESTANDEN
verdict-fail = NICHT BESTANDEN
verdict-inconclusive = OHNE ENTSCHEID
verdict-not_run = NICHT GEPRÜFT
outcome-pass = bestanden
outcome-fail = nicht bestanden
outcome-inconclusive = ohne Entscheid
outcome-not_run = nicht geprüft
outcome-conditional_pass = bedingt bestanden
outcome-conditional_fail = bedingt nicht bestanden

## Why a verdict is no pass

cause-breakdown = Durchschlag
cause-arc = Lichtbogen
cause-over_limit = über Grenzwert
cause-under_limit = unter Grenzwert
cause-level_not_reached = Prüfpegel nicht erreicht
cause-overstress = überbeansprucht
cause-implausible = unglaubwürdig
cause-open = offen
cause-short = Kurzschluss
cause-miswire = falsch verdrahtet
cause-no_contact = kein Kontakt
cause-swapped = vertauscht
cause-high_resistance = zu hoher Widerstand
cause-wrong_component = falsches Bauteil
cause-missing = fehlt
cause-reversed = verpolt
cause-not_seen = nicht gesehen
cause-intermittent = Wackelkontakt
cause-switched_on = eingeschaltet
cause-answered_fail = Antwort: nicht bestanden
cause-not_a_number = keine Zahl
cause-undecided = nicht entscheidbar
cause-unit_halted = Prüfling angehalten
cause-skipped = ausgelassen
cause-condition_not_met = Bedingung nicht erfüllt
cause-aborted = abgebrochen
cause-interrupted = unterbrochen
cause-instrument = Messgerät
cause-guard_open = Schutzeinrichtung offen

## What is measured

quantity-absorption_ratio = Absorptionsverhältnis
quantity-breaks = Unterbrechungen
quantity-capacitance = Kapazität
quantity-corrected_resistance = korrigierter Widerstand
quantity-current = Strom
quantity-dc_current = Gleichstrom
quantity-departure = Abweichung
quantity-difference = Unterschied
quantity-energy = Energie
quantity-energy_reduction = Energieminderung
quantity-entered = eingegebener Wert
quantity-first_break = erste Unterbrechung
quantity-forward_voltage = Durchlassspannung
quantity-growth = Zunahme
quantity-impedance = Impedanz
quantity-inductance = Induktivität
quantity-in_phase = in Phase
quantity-isolation = Trennung
quantity-load_current = Laststrom
quantity-longest_break = längste Unterbrechung
quantity-loss = Verlust
quantity-peak = Scheitelwert
quantity-peak_current = Scheitelstrom
quantity-phase = Phase
quantity-phase_resistance = Widerstand der Phase
quantity-phase_ratio = Verhältnis der Phasen
quantity-phase_unbalance = Ungleichheit der Phasen
quantity-points_read = gelesene Punkte
quantity-polarization_index = Polarisationsindex
quantity-power = Wirkleistung
quantity-power_factor = Leistungsfaktor
quantity-pressure = Druck
quantity-pulse_ratio = Verhältnis der Pulse
quantity-ratio_error = Fehler des Verhältnisses
quantity-reactance = Blindwiderstand
quantity-resistance = Widerstand
quantity-resistive_current = Wirkstrom
quantity-reverse_voltage = Sperrspannung
quantity-secondary = Sekundärspannung
quantity-temperature = Temperatur
quantity-time = Zeit
quantity-time_at_level = Zeit auf Pegel
quantity-time_watched = beobachtete Zeit
quantity-turns_ratio = Windungsverhältnis
quantity-unbalance = Ungleichheit
quantity-voltage = Spannung
quantity-wobble = Schwankung

## Kinds of steps, as sentences name them

kind-clips = Klemmen
kind-continuity = Durchgang
kind-defibrillation = Defibrillation
kind-entry = Eingabe
kind-gauge = Druckmessung
kind-ground_bond = Schutzleiterwiderstand
kind-impedance = Impedanz
kind-inductance = Induktivität
kind-insulation = Isolationswiderstand
kind-intermittent = Wackelkontakte
kind-leakage = Ableitstrom
kind-polarity = Polarität
kind-polarization = Polarisation
kind-power = Leistung
kind-question = Frage
kind-response = Antwort auf Reize
kind-step_voltage = Stufenspannung
kind-surge = Stoßvergleich
kind-temperature = Temperatur
kind-touch = berührte Kontakte
kind-turns_ratio = Windungsverhältnis
kind-visual = Sichtprüfung
kind-wait = Warten
kind-winding_resistance = Wicklungswiderstand
kind-wiring = Verdrahtung
kind-withstand = Spannungsfestigkeit

## States and occasions

state-draft = Entwurf
state-review = in Durchsicht
state-released = freigegeben
state-retired = außer Gebrauch
state-finished = beendet
state-aborted = abgebrochen
state-interrupted = unterbrochen
state-running = im Gang
state-open = offen
state-closed = abgeschlossen
state-production = Fertigung
state-acceptance = Abnahme
state-recurrent = Wiederholung
state-after_repair = nach Instandsetzung

## Settings of steps, as their conditions name them

setting-A_break_is_above = Unterbrechung über
setting-Absorption_ratio_from = Absorptionsverhältnis von
setting-Absorption_ratio_to = Absorptionsverhältnis bis
setting-Accessible_or_applied_part = berührbares Teil oder Anwendungsteil
setting-Accessible_part = berührbares Teil
setting-Apart = getrennt über
setting-Apart_above = getrennt über
setting-Applied = angelegt
setting-Body_network = Körpernachbildung
setting-Charged_to = geladen auf
setting-Charging_time = Ladezeit
setting-Choices = Antworten
setting-Choices_that_pass = Antworten, die bestehen
setting-Condition = Zustand
setting-Conductors = Leiter
setting-Connected_below = verbunden unter
setting-Connected_by = verbunden durch
setting-Contacts = Kontakte
setting-Cord_flexed_for = Leitung bewegt für
setting-Current_tolerance = Toleranz des Stroms
setting-Display_step = Schritt der Anzeige
setting-Driven = eingestellt
setting-Dwell = Prüfdauer
setting-Dwell_after_settling = Prüfdauer danach
setting-Dwell_on_each_path = Prüfdauer je Pfad
setting-Dwell_on_each_try = Prüfdauer je Versuch
setting-Earth_terminal = Schutzleiter
setting-First_pulse = erster Stoß
setting-Frequency = Frequenz
setting-Held_for = gehalten für
setting-High_terminal = Anschluss oben
setting-High_terminals = Anschlüsse oben
setting-Index_from = Index von
setting-Index_to = Index bis
setting-Joined_below = verbunden unter
setting-Lasts = dauert
setting-Leakage_path = Ableitstrom über
setting-Level = Pegel
setting-Level_tolerance = Toleranz des Pegels
setting-Levels_DC = Pegel (DC)
setting-Line_terminal = Außenleiter
setting-Load_current_when_on = Laststrom im Betrieb
setting-Load_of_the_source = Last der Quelle
setting-Loss_over = Verlust über
setting-Low_terminal = Anschluss unten
setting-Low_terminals = Anschlüsse unten
setting-Method = Verfahren
setting-Nets = Netze
setting-Neutral_terminal = Neutralleiter
setting-On_each_path = je Pfad
setting-Order = Reihenfolge
setting-Parameters = Größen
setting-Paths = Pfade
setting-Patient_connections = Patientenanschlüsse
setting-Phase_to_phase_at_most = Phase gegen Phase höchstens
setting-Photo = Foto
setting-Plugged_in = gesteckt
setting-Polarity = Polarität
setting-Position_of_the_switch = Schalterstellung
setting-Presets = Voreinstellungen
setting-Pressure = Druck
setting-Prompt = Aufforderung
setting-Pulse_to_pulse_at_most = Stoß gegen Stoß höchstens
setting-Pulses = Stöße
setting-Quantity = Größe
setting-Question = Frage
setting-Questions = Fragen
setting-Ramp_down = Absenken in
setting-Ramp_up = Anstieg in
setting-Ratios = Verhältnisse
setting-Read = gelesen
setting-Read_from = gelesen von
setting-Reference = Bezug
setting-Reference_temperature = Bezugstemperatur
setting-Resistance_at = Widerstand bei
setting-Return = Rückleitung
setting-Rotor_in = Läufer eingebaut
setting-Scaled_to = umgerechnet auf
setting-Seems_switched_off_above = scheint ausgeschaltet über
setting-Settled_for = eingeschwungen für
setting-Settles_within = schwingt ein innerhalb
setting-Settling_delay = Einschwingzeit
setting-Shortest_break = kürzeste Unterbrechung
setting-Signal = Messsignal
setting-Slope_at_most = Steigung höchstens
setting-Slope_of_the_ramp = Steigung des Anstiegs
setting-Source_tolerance = Toleranz der Quelle
setting-Stays_earthed_times = bleibt geerdet, mal
setting-Steady_for = beständig für
setting-Steady_within = beständig innerhalb
setting-Stop_at_the_first_net_that_fails = Halt beim ersten Netz
setting-Stops_above = hält an über
setting-Stops_at_a_departure_of = hält an bei einer Abweichung von
setting-Supply_frequency = Netzfrequenz
setting-Supply_tolerance = Toleranz der Versorgung
setting-Supply_voltage = Versorgungsspannung
setting-Target = Zielwert
setting-Test_current = Prüfstrom
setting-Test_lead_at_most = Prüfleitung höchstens
setting-Test_lead_zeroed_within = Prüfleitung abgeglichen innerhalb
setting-Test_voltage = Prüfspannung
setting-Test_voltage_DC = Prüfspannung (DC)
setting-Tied = verbunden
setting-Time = Zeit
setting-Time_of_a_measurement = Zeit einer Messung
setting-Tolerance = Toleranz
setting-Tries_at_most = Versuche höchstens
setting-Trip_current = Abschaltstrom
setting-Unbalance_as = Ungleichheit als
setting-Uncertainty_of_the_device = Unsicherheit des Geräts
setting-Uncertainty_of_what_is_typed = Unsicherheit des Eingegebenen
setting-Unit_s_own_switch = Schalter des Prüflings
setting-Voltage = Spannungsart
setting-Volts = Spannung
setting-Wait_for_a_contact = warten auf einen Kontakt
setting-Wait_for_a_position = warten auf eine Stellung
setting-Waits_at_most = wartet höchstens
setting-Watched_at_least = beobachtet mindestens
setting-Watched_at_most = beobachtet höchstens
setting-What_the_operator_does = was der Bediener tut
setting-Windings = Wicklungen

## What a setting may be

choice-yes = ja
choice-no = nein
choice-alternative = Ersatzmessung
choice-any = beliebig
choice-auxiliary = Hilfsstrom
choice-beside = daneben
choice-between = zwischen beiden
choice-by_hand = von Hand
choice-deviation_over_mean = Abweichung durch Mittelwert
choice-differential = Differenzmessung
choice-direct = direkte Messung
choice-each = jeder
choice-each_net = jedes Netz
choice-earth = Schutzleiter
choice-earthed = geerdet
choice-groups = in Gruppen
choice-hand = Hand
choice-instead = statt dessen
choice-isolated = isoliert
choice-loss = Verlust
choice-mains_on_case = Netz am Gehäuse
choice-mains_on_part = Netz am Anwendungsteil
choice-none = keine
choice-normal = normal
choice-off = aus
choice-on = ein
choice-once = einmal
choice-open_earth = Schutzleiter offen
choice-open_neutral = Neutralleiter offen
choice-patient = Patient
choice-peak = Scheitelwert
choice-programmed = programmiert
choice-relay = Relais
choice-reversed = vertauscht
choice-set = vorgegeben
choice-spread_over_least = Spanne durch kleinsten
choice-spread_over_mean = Spanne durch Mittelwert
choice-thermometer = Thermometer
choice-together = gemeinsam
choice-total_mains_on_part = Netz an allen Anwendungsteilen
choice-total_patient = Patient gesamt
choice-touch = Berührung
choice-typed = eingegeben
choice-value = Wert

## Points of a leakage step: where, and under which conditions

leakage-normal = normal
leakage-normal_condition = Normalzustand
leakage-neutral_open = Neutralleiter offen
leakage-earth_open = Schutzleiter offen
leakage-reversed = vertauscht
leakage-off = aus
leakage-earth = Schutzleiter
leakage-touch = Berührung
leakage-touch_at = Berührung { $name }
leakage-patient = Patient
leakage-patient_at = Patient { $name }
leakage-auxiliary = Hilfsstrom
leakage-auxiliary_at = Hilfsstrom { $name }
leakage-total = gesamt
leakage-total_at = gesamt { $name }
leakage-mains_on = Netz an { $name }
leakage-mains_on_all = Netz an allen { $name }
leakage-mains_on_the_case = Netz am Gehäuse

## Points of any step

point-groups = Gruppen { $names }
point-at_level = bei { $value }
point-pair = { $a } gegen { $b }
point-try = Versuch { $number }
point-to_all_others = { $name } gegen alle anderen

## Courses: what is marked in them

mark-ramp = Anstieg
mark-dwell = Prüfdauer
mark-fall = Absenken
mark-course = Verlauf

## Documents, as searches name them

document-certificate = Bescheinigung
document-nonconformance = Abweichungsbericht
document-revoked = widerrufen
document-none = keines

## Lists

list-and = und
list-or = oder
