"""The window that is open takes what a second start was given, and comes to the front."""

from __future__ import annotations

import os

from PySide6.QtCore import QObject, Signal
from PySide6.QtNetwork import QLocalServer, QLocalSocket

from jeweller.gui.shell.handing import HANDED, MOST_BYTES, Meeting, read_message


class OneWindow(QObject):
    """Listens at a meeting place for as long as it lives."""

    came = Signal(list)  # paths; none: the window is asked for

    def __init__(self, meeting: Meeting, parent: QObject) -> None:
        super().__init__(parent)
        self.meeting = meeting
        self.server = QLocalServer(self)
        self.server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        if meeting.can_listen:
            address = os.fspath(meeting.address)
            QLocalServer.removeServer(address)  # one whose window was killed
            self.server.listen(address)
        self._read: dict[QLocalSocket, bytes] = {}
        self.server.newConnection.connect(self._connected)

    def _connected(self) -> None:
        while (asking := self.server.nextPendingConnection()) is not None:
            self._read[asking] = b""
            asking.readyRead.connect(lambda asking=asking: self._more(asking))
            asking.disconnected.connect(lambda asking=asking: self._gone(asking))
            self._more(asking)

    def _more(self, asking: QLocalSocket) -> None:
        if asking not in self._read:
            return
        self._read[asking] += bytes(asking.readAll().data())
        if len(self._read[asking]) > MOST_BYTES:
            asking.abort()
        elif b"\n" in self._read[asking]:
            message = read_message(self._read.pop(asking).partition(b"\n")[0])
            if message is not None:
                asking.write(HANDED)
                asking.flush()
                files, token = message
                if token:
                    os.environ["XDG_ACTIVATION_TOKEN"] = token
                self.came.emit(files)
            asking.disconnectFromServer()

    def _gone(self, asking: QLocalSocket) -> None:
        self._read.pop(asking, None)
        asking.deleteLater()

    def close(self) -> None:
        self.server.close()
        self.meeting.leave()
