"""Settings, from the environment and an optional .env file; .env.example documents each."""

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """What differs between one installation and another."""

    model_config = SettingsConfigDict(env_prefix="GRAUPEL_", env_file=".env", extra="ignore")

    database_url: str = ""
    data_folder: Path = Path("var")
    address: str = "http://127.0.0.1:8000"
    shop_name: str = "Skeinwright & Daughters"
    currency: str = Field(default="EUR", pattern="^[A-Z]{3}$")
    language: str = "en"
    time_zone: str = "Europe/Berlin"
    secure_cookies: bool = False
    session_hours: int = Field(default=12, ge=1, le=24 * 30)
    session_days: int = Field(default=30, ge=1, le=365)
    sealing_key: str = ""
    trusted_proxies: str = ""
    hosts: str = ""
    embed_hosts: str = ""
    upload_megabytes: int = Field(default=64, ge=1, le=1024)
    picture_megabytes: int = Field(default=20, ge=1, le=200)
    video_megabytes: int = Field(default=60, ge=1, le=1000)
    fetch_hosts: str = ""
    fetch_only_listed: bool = False
    smtp_host: str = ""
    smtp_port: int = Field(default=25, ge=1, le=65535)
    smtp_user: str = ""
    smtp_password: str = ""
    smtp_tls: bool = False
    mail_from: str = ""
    till_address: str = ""
    till_key: str = ""
    lease_seconds: int = Field(default=30, ge=1)
    log_level: str = "INFO"

    @property
    def fetches_from(self) -> tuple[str, ...]:
        """The hosts from which files may be fetched though they stand in a private network."""
        return tuple(dict.fromkeys(self.fetch_hosts.lower().replace(",", " ").split()))

    @property
    def embeds_from(self) -> tuple[str, ...]:
        """The hosts from which texts may embed something."""
        return tuple(dict.fromkeys(self.embed_hosts.lower().replace(",", " ").split()))
