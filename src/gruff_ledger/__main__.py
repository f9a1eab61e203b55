"""Run the command as ``python -m gruff_ledger``."""

from gruff_ledger.cli.main import main

if __name__ == "__main__":
    main()
