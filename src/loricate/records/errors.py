"""The records' error tree."""


class RecordsError(Exception):
    """Root of every error that the records raise."""


class NewerDatabase(RecordsError):
    """The database was written by a later version of Loricate."""

    def __init__(self, path: str, found: int, known: int) -> None:
        super().__init__(path, found, known)
        self.path, self.found, self.known = path, found, known

    def __str__(self) -> str:
        return (
            f"The database {self.path} is of version {self.found}, and this Loricate knows "
            f"versions up to {self.known}; start it with a newer Loricate. Nothing was changed."
        )


class StorageFull(RecordsError):
    """There is no room to store what has to be kept."""

    def __str__(self) -> str:
        return "The disk with the records is full; make room, then try again. Nothing was stored."


class NotFound(RecordsError):
    """There is no record of this name."""

    def __init__(self, what: str, name: str) -> None:
        super().__init__(what, name)
        self.what, self.name = what, name

    def __str__(self) -> str:
        return f"There is no {self.what} '{self.name}'."


class PictureRefused(RecordsError):
    """A file cannot be kept as a picture."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return f"The picture {self.reason}; send a PNG, JPEG or WebP within these bounds."
