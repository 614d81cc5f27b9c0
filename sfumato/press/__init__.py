"""The profiles of the press that ships; `python -m sfumato.work.presses` makes them anew."""
