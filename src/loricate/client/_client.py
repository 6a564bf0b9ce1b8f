"""The client itself: the calls of each subject over one wire."""

from loricate.client._assets import AssetCalls
from loricate.client._bench import BenchCalls
from loricate.client._captures import CaptureCalls
from loricate.client._carrying import CarryCalls
from loricate.client._certificates import CertificateCalls
from loricate.client._definitions import DefinitionCalls
from loricate.client._items import ItemCalls
from loricate.client._lots import LotCalls
from loricate.client._orders import OrderCalls
from loricate.client._people import PeopleCalls
from loricate.client._rehearsals import RehearsalCalls
from loricate.client._reports import ReportCalls
from loricate.client._runs import RunCalls
from loricate.client._searches import SearchCalls
from loricate.client._sequences import SequenceCalls
from loricate.client._series import SeriesCalls
from loricate.client._trends import TrendCalls


class Client(
    PeopleCalls,
    BenchCalls,
    CaptureCalls,
    DefinitionCalls,
    SequenceCalls,
    RehearsalCalls,
    RunCalls,
    SearchCalls,
    TrendCalls,
    ItemCalls,
    SeriesCalls,
    LotCalls,
    AssetCalls,
    OrderCalls,
    CertificateCalls,
    CarryCalls,
    ReportCalls,
):
    """A connection to one service, one method a call of the HTTP API; a context manager.

    ``transport`` and ``timeout_s`` go to httpx, so that a test can pass its own wire. Every method
    raises a ``ClientError``.
    """
