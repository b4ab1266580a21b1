"""What all errors have in common that a person can do something about."""


class InputRefused(ValueError):
    """Something given from outside cannot be used; the message says what, where and what to do."""
