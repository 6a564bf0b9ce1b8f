"""Families of products: of each the section that it has in a product's file, a file each."""

from collections.abc import Mapping

from loricate.core.products.families.appliance import ApplianceSection
from loricate.core.products.families.cable import CableSection
from loricate.core.products.families.medical import MedicalSection
from loricate.core.products.families.section import FamilySection
from loricate.core.products.families.winding import WindingSection

FAMILIES: Mapping[str, type[FamilySection]] = {
    "appliance": ApplianceSection,
    "cable": CableSection,
    "winding": WindingSection,
    "medical": MedicalSection,
}
