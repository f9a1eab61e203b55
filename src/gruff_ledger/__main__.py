"""Run the command as ``python -m gruff_ledger``."""

from gruff_ledger.cli.start import main

if __name__ == "__main__":
    main()
