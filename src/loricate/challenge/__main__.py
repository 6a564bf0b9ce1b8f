"""``python -m loricate.challenge``: a request as JSON on standard input, its report on output.

A refusal is JSON as well: ``{"refused": sentence, "findings": [[field, message], ...]}``, status 1.
"""

import json
import os
import sys

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # the networks are far too small for more

from loricate.challenge.families import NoStandIn
from loricate.challenge.request import ChallengeRequest
from loricate.core.errors import DocumentError

LOW_PRIORITY = 10  # a bench may be testing beside it


def main() -> None:
    """Read, run, print."""
    os.nice(LOW_PRIORITY)
    request = ChallengeRequest.model_validate_json(sys.stdin.buffer.read())
    try:
        sys.stdout.write(request.perform().model_dump_json())
    except DocumentError as error:
        findings = [[each.path, each.reason, each.remedy] for each in error.findings]
        sys.stdout.write(json.dumps({"refused": str(error), "findings": findings}))
        sys.exit(1)
    except NoStandIn as error:
        sys.stdout.write(json.dumps({"refused": str(error), "findings": []}))
        sys.exit(1)


if __name__ == "__main__":
    main()
