"""Appliances: what is fed from the mains and nothing else; all of theirs is every product's."""

from loricate.core.products.families.section import Expectation, FamilySection


class ApplianceSection(FamilySection):
    """Nothing that the rest of a product's file does not have."""

    expected = (Expectation(("withstand",), "the insulation of an appliance at its level"),)
