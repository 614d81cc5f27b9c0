"""What rooms are given: study, view, desk, queue, settings, notices, actions."""
