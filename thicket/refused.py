"""The one exception for input that cannot be taken."""


class Refused(ValueError):
    """Input that cannot be taken. Its text is a sentence for the person who gave it, and begins with the
    field's name and a colon where it is about one."""
