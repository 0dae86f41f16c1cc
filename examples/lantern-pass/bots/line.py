"""As much of a WebSocket (RFC 6455) as a bot needs that talks to a service on its own machine. Where it goes over the
internet, take a library, which knows TLS and proxies too."""

import base64
import os
import socket
import struct
import urllib.parse


class Line:
    """A connection. receive gives what came in by then: text or bytes; closed says with which code it ended."""

    def __init__(self, address, protocols):
        at = urllib.parse.urlsplit(address)
        self.socket = socket.create_connection((at.hostname, at.port or 80), timeout=10)
        self.closed, self._begun, self._rest = None, b"", b""
        key = base64.b64encode(os.urandom(16)).decode()
        self.socket.sendall(
            f"GET {at.path} HTTP/1.1\r\nHost: {at.netloc}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Version: 13\r\n"
            f"Sec-WebSocket-Key: {key}\r\nSec-WebSocket-Protocol: {', '.join(protocols)}\r\n\r\n".encode()
        )
        while b"\r\n\r\n" not in self._rest:
            self._rest += self.socket.recv(4096) or b"\r\n\r\n"
        head, _, self._rest = self._rest.partition(b"\r\n\r\n")
        lines = head.decode("latin-1").split("\r\n")
        if " 101 " not in lines[0]:
            raise ConnectionError(lines[0])
        headers = dict(line.lower().split(": ", 1) for line in lines[1:])
        self.protocol = headers.get("sec-websocket-protocol", "")
        self.socket.settimeout(0.02)

    def send(self, message):
        self._write(1 if isinstance(message, str) else 2, message.encode() if isinstance(message, str) else message)

    def _write(self, kind, data):
        size = len(data)
        length = struct.pack("!B", 128 | size) if size < 126 else struct.pack("!BH", 254, size) if size < 65536 else struct.pack("!BQ", 255, size)
        mask = os.urandom(4)
        try:
            self.socket.sendall(bytes([128 | kind]) + length + mask + bytes(b ^ mask[i % 4] for i, b in enumerate(data)))
        except OSError:
            self.closed = self.closed or 1006

    def receive(self):
        out = []
        while self.closed is None:
            try:
                data = self.socket.recv(1 << 16)
            except TimeoutError:
                break
            except OSError:
                data = b""
            if not data:
                self.closed = 1006
            self._rest += data
            if len(data) < 1 << 16:
                break
        while len(self._rest) > 1 and (frame := self._frame()):
            kind, data = frame
            if kind == 8:
                self.closed = struct.unpack("!H", data[:2])[0] if len(data) > 1 else 1005
            elif kind == 9:
                self._write(10, data)
            elif kind in (1, 2):
                out.append(data.decode() if kind == 1 else data)
        return out

    def _frame(self):
        """The next whole message, or None while it has not come in."""
        size, at = self._rest[1] & 127, 2
        if size > 125:
            at = 4 if size == 126 else 10
            if len(self._rest) < at:
                return None
            size = int.from_bytes(self._rest[2:at], "big")
        if len(self._rest) < at + size:
            return None
        first, data = self._rest[0], self._rest[at : at + size]
        self._rest = self._rest[at + size :]
        if first & 15 < 8:  # a message may come in several pieces
            self._kind = first & 15 or self._kind
            self._begun += data
            if not first & 128:
                return (0, b"")
            data, self._begun = self._begun, b""
            return (self._kind, data)
        return (first & 15, data)

    def close(self):
        self.socket.close()
        self.closed = self.closed or 1006
