"""A small receiver of mail: keeps what it takes as text that can be read. For the demo; it sends nothing on.

python demo/mail_receiver.py 8471 FOLDER
"""

from __future__ import annotations

import sys
import time
from email import message_from_bytes, policy
from email.message import EmailMessage
from pathlib import Path

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session


class Keeper:
    """Takes every mail, and keeps it: the whole of it in a file of its own, its text in one for all."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        content = bytes(envelope.content or b"")
        number = len(list(self.folder.glob("*.eml"))) + 1
        (self.folder / f"{number:04}.eml").write_bytes(content)
        mail = message_from_bytes(content, policy=policy.default)
        assert isinstance(mail, EmailMessage)
        body = mail.get_body(("plain",))
        text = body.get_content().strip() if body else ""
        with (self.folder / "mails.txt").open("a") as file:
            file.write(
                f"To: {mail['to']}\nSubject: {mail['subject']}\nDate: {mail['date']}\n\n{text}\n\n{'=' * 72}\n"
            )
        print(f"{mail['to']}: {mail['subject']}", flush=True)
        return "250 taken"


if __name__ == "__main__":
    receiver = Controller(Keeper(Path(sys.argv[2])), hostname="127.0.0.1", port=int(sys.argv[1]))
    receiver.start()
    while True:
        time.sleep(3600)
