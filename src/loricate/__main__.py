"""``python -m loricate``."""

from loricate.commands import main

if __name__ == "__main__":
    main()
