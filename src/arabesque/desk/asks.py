"""What is asked of the window, once each: to say something, to look somewhere, to begin anew."""

from PyQt6.QtCore import QObject, pyqtSignal


class Asks(QObject):
    """Only the window listens; what lasts is told by the session's own signals.

    told: a line for the user: text, and True when it is a problem. begun:
    work began on another document. saved: the project file was written. fit:
    everything is to come in sight. fly: a place is to: (3,) where, (3,) from
    which side, and how many mm round it. propose: a tool is to be taken up, by
    its id, with borders picked: (id of an item, number). picture: one is to be taken: where to, its
    size, and how (see ``pictures.Wanted``). written: files for other systems were,
    and read back. journal_failed: the journal cannot be
    written; this one comes from its thread.
    """

    told = pyqtSignal(str, bool)
    begun = pyqtSignal()
    saved = pyqtSignal()
    fit = pyqtSignal()
    fly = pyqtSignal(object, object, float)
    propose = pyqtSignal(str, object)
    picture = pyqtSignal(object, object, object)
    written = pyqtSignal()
    journal_failed = pyqtSignal(object)
