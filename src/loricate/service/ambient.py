"""The air about the units: said once a shift by somebody or an instrument, kept with each run."""

import datetime as dt
from typing import Any

from loricate.bench.bench import COLDEST_C, HOTTEST_C
from loricate.core.errors import Finding, QuantityError
from loricate.core.quantities import RATIO, TEMPERATURE, display, parse
from loricate.records.ambient import Ambient
from loricate.service.errors import NotReady
from loricate.service.site_file import AmbientPlan


def read_ambient(temperature: str, humidity: str) -> tuple[float, float | None]:
    """Temperature in °C and humidity as a fraction, as somebody wrote them; raises NotReady."""
    findings = []
    celsius, share = 0.0, None
    try:
        celsius = parse(temperature, TEMPERATURE)
        if not COLDEST_C <= celsius <= HOTTEST_C:
            told = (
                f"is {display(celsius, TEMPERATURE, 3)}",
                "nobody tests units in that; look at the thermometer.",
            )
            findings.append(Finding("temperature", *told))
    except QuantityError as error:
        findings.append(Finding("temperature", str(error)))
    if humidity.strip():
        try:
            share = parse(humidity, RATIO)
            if not 0 <= share <= 1:
                told = f"is {share * 100:g} %", "relative humidity is from 0 % to 100 %."
                findings.append(Finding("humidity", *told))
        except QuantityError as error:
            findings.append(Finding("humidity", str(error)))
    if findings:
        raise NotReady.because(findings)
    return celsius, share


def holds(found: Ambient | None, plan: AmbientPlan) -> bool:
    """Whether what was said last still goes onto certificates."""
    if found is None:
        return False
    age = dt.datetime.now(dt.UTC) - dt.datetime.fromisoformat(found.at)
    return dt.timedelta(0) <= age <= dt.timedelta(hours=plan.every_hours)


def texts(found: Ambient) -> tuple[str, str]:
    """Temperature and humidity for people."""
    humidity = "" if found.humidity is None else display(found.humidity, RATIO, 2)
    return display(found.temperature_c, TEMPERATURE, decimals=1), humidity


def kept_with_run(found: Ambient | None, plan: AmbientPlan) -> dict[str, Any] | None:
    """What a run keeps of the air when it is started; None where nothing holds."""
    if found is None or not holds(found, plan):
        return None
    temperature, humidity = texts(found)
    return {
        "temperature": temperature,
        "humidity": humidity,
        "account": found.account,
        "instrument": found.instrument,
        "at": found.at,
    }
