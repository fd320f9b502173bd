"""How an instance is set up."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.exchange.device_line import At


@dataclass(frozen=True, slots=True)
class Settings:
    """
    Attributes:
        database_url: where the notebook is.
        loopback: served on this machine only; demo accounts can sign in only then.
        host_names: the names browsers may call it by; any, when empty and not on loopback.
        secure_cookies: browsers reach it through HTTPS.
        proxies: addresses of the proxies that stand before it; only they are believed when they say for whom they ask.
        devices: instruments that can be read, by name and address.
        breath: seconds that a tablet gets to ask for its page before its summary is written.
    """

    database_url: str
    loopback: bool = True
    host_names: tuple[str, ...] = ()
    secure_cookies: bool = False
    proxies: tuple[str, ...] = ()
    devices: tuple[At, ...] = ()
    breath: float = 0.05

    @property
    def allowed_hosts(self) -> list[str]:
        if self.host_names:
            return [*self.host_names, "127.0.0.1", "localhost"]
        return ["127.0.0.1", "localhost"] if self.loopback else ["*"]
