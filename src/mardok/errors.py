"""What can go wrong, for a user to read.

::

    MardokError
    ├── SourceError      a source, folder or table of pages that cannot be used
    ├── TableError       a data file with a missing column or an impossible value
    ├── SettingsError    a setting that does not exist or is out of bounds
    ├── FolderError      an audit folder that is not one, or must not be replaced
    ├── UnknownPageError an address that the audit does not know
    ├── SelectionError   a question about no page, or for what is not to be had
    ├── ClusterError     workers on other machines that cannot be used, or have gone
    ├── HandoffError     a plan of which nothing can be handed over
    ├── RecheckError     two audits that cannot be compared
    └── UnsafePlanError  a plan that failed its safety check and was not written
"""


class MardokError(Exception):
    """Base of all errors that Mardok raises on purpose; its text is one line for the user."""


class SourceError(MardokError):
    """A source of pages that cannot be used at all."""


class TableError(MardokError):
    """A table whose columns or values cannot be used."""


class SettingsError(MardokError):
    """A setting that does not exist, or a value out of its bounds."""


class FolderError(MardokError):
    """A folder that is not an audit folder, or that Mardok must not replace."""


class UnknownPageError(MardokError):
    """An address that is not in the audit."""


class SelectionError(MardokError):
    """A question about no page, or for what is not to be had."""


class ClusterError(MardokError):
    """Workers on other machines that cannot be used, or have gone."""


class HandoffError(MardokError):
    """A plan of which nothing is accepted, or that cannot be written as server rules."""


class RecheckError(MardokError):
    """Two audits that cannot be compared: of other sites, or in the wrong order."""


class UnsafePlanError(MardokError):
    """A plan that breaks a safety rule; nothing is written."""
