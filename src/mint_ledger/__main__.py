"""`python -m mint_ledger` is `mint-ledger`."""

from mint_ledger.cli.main import main

if __name__ == "__main__":
    main()
