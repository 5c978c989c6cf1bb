"""What can be set from outside, by environment variables that begin with COOL_SHEEN_."""

from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Settings and their defaults."""

    model_config = SettingsConfigDict(env_prefix="COOL_SHEEN_")

    data: Path = Path("data")
    hosts: str = "localhost,127.0.0.1,[::1]"
    opened_as: str = ""  # the host name, or address, under which the network may come in; empty: this machine alone
    dev: bool = False  # the page of all components

    @property
    def host_names(self) -> list[str]:
        """The names under which it is served."""
        return [host.strip() for host in (*self.hosts.split(","), self.opened_as) if host.strip()]

    @property
    def passcode(self) -> Path:
        """The file of the passcode."""
        return self.data / "passcode.json"

    @property
    def tls(self) -> Path:
        """The folder of a certificate of one's own."""
        return self.data / "tls"

    @property
    def database(self) -> Path:
        """The database's file."""
        return self.data / "cool-sheen.sqlite3"

    @property
    def demo_database(self) -> Path:
        """The file of the demo shop that is looked at beside one's own."""
        return self.data / "demo" / self.database.name
