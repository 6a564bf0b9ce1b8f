"""What schemathesis has to be told: how a TOML file is sent."""

import schemathesis


@schemathesis.serializer("application/toml")
def toml(ctx: object, value: object) -> bytes:
    """A TOML file, or what is none."""
    return str(value).encode("utf-8", "surrogatepass")
