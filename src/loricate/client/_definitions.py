"""Products and limit sets."""

from collections.abc import Mapping
from typing import Any

from loricate.api.definitions import (
    Comparison,
    DifferenceOut,
    FromTo,
    Offer,
    ProductDraft,
    ProposedStepOut,
    RevisionOut,
    Stored,
)
from loricate.client._wire import API, Wire


def _if_match(revision: int | None) -> dict[str, str]:
    return {} if revision is None else {"If-Match": f'"{revision}"'}


class DefinitionCalls(Wire):
    """Calls about products and limit sets."""

    def add_product(self, document: Mapping[str, Any], based_on: int | None = None) -> Stored:
        """Add a product, or a revision of one; with ``based_on`` only if that is the newest."""
        return self._post(Stored, f"{API}/products", document, _if_match(based_on))

    def products(self) -> list[dict[str, Any]]:
        """Every product's newest revision."""
        return self._get_all(dict[str, Any], f"{API}/products")

    def product(self, code: str, revision: int | None = None) -> dict[str, Any]:
        """One revision of a product, the newest by default; ``revision`` is its number."""
        return self._get(dict[str, Any], f"{API}/products/{code}", revision=revision)

    def offer(self, code: str) -> Offer:
        """The kinds of step and the limits of standards for a product, and why."""
        return self._get(Offer, f"{API}/products/{code}/offer")

    def compare_standards(self, product: str, one: str, other: str) -> Comparison:
        """What two standards ask of a product, side by side."""
        place = f"{API}/products/{product}/standards"
        return self._get(Comparison, place, one=one, other=other)

    def propose_step(self, product: str, kind: str, limit_set: str) -> ProposedStepOut:
        """A step filled with all that a limit set limits of a product; nothing is stored."""
        place = f"{API}/products/{product}/steps/{kind}"
        return self._get(ProposedStepOut, place, limit_set=limit_set)

    def from_to_list(self, code: str, revision: int | None = None) -> str:
        """A cable's from-to list as CSV."""
        found = self._get(FromTo, f"{API}/products/{code}/from-to", revision=revision)
        return found.text

    def read_from_to(self, document: Mapping[str, Any], text: str) -> dict[str, Any]:
        """A product's document with the nets of a from-to list (CSV); stores nothing."""
        body = {"document": dict(document), "text": text}
        return self._post(ProductDraft, f"{API}/products/drafts/from-to", body).document

    def limit_set(self, code: str, revision: int | None = None) -> dict[str, Any]:
        """One revision of a limit set, the newest by default; ``revision`` is its number."""
        return self._get(dict[str, Any], f"{API}/limit-sets/{code}", revision=revision)

    def release_limit_set(self, code: str, checked: str) -> Stored:
        """Release a limit set's newest revision; ``checked`` says who compared it with what."""
        return self._post(Stored, f"{API}/limit-sets/{code}/release", {"checked": checked})

    def revisions(self, kind: str, code: str) -> list[RevisionOut]:
        """Every revision of a document; ``kind`` is ``products`` or ``limit-sets``."""
        return self._get(list[RevisionOut], f"{API}/{kind}/{code}/revisions")

    def differences(self, kind: str, code: str, old: int, new: int) -> list[DifferenceOut]:
        """What differs between two revisions of a document; ``kind`` may be ``sequences`` too."""
        path = f"{API}/{kind}/{code}/differences"
        return self._get(list[DifferenceOut], path, old=old, new=new)

    def add_limit_set(self, document: Mapping[str, Any], based_on: int | None = None) -> Stored:
        """Add a limit set, or a revision of one; with ``based_on`` only if that is the newest."""
        return self._post(Stored, f"{API}/limit-sets", document, _if_match(based_on))

    def limit_sets(self) -> list[dict[str, Any]]:
        """Every limit set's newest revision."""
        return self._get_all(dict[str, Any], f"{API}/limit-sets")
