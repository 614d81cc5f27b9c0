"""`python -m sfumato` is the command `sfumato`."""

from sfumato.cli.main import run

if __name__ == "__main__":
    run()
