"""Round trips: carriers that are sent, and looks out of what comes back."""
