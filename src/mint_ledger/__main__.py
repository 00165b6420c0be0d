"""`python -m mint_ledger` is `mint-ledger`."""

import sys


def run() -> None:
    """Run the command; Ctrl-C in its first moments, while it is still being imported, ends it like later ones."""
    try:
        from mint_ledger.cli.main import main

        main()
    except KeyboardInterrupt:
        sys.exit(130)


if __name__ == "__main__":
    run()
