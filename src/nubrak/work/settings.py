"""Where things are, read from the environment; the one command sets it for its children."""

from __future__ import annotations

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Addresses and folders of one process."""

    model_config = SettingsConfigDict(env_prefix="NUBRAK_")
    database_url: str
    cache_folder: str
    interface_folder: str = ""
    port: int = 8137
    key: str = ""  # of the address that is printed; empty: everybody who reaches the server may come in
    shares_folder: bool = False  # whether a worker has the server's folder, and may print into it
    worker: str = ""  # which of several workers this one is, for the name of its log
    rests: bool = False  # whether a worker that has worked ends when nothing follows; it is started again
    log_folder: str = ""  # empty: nothing is logged to files
    tasks_at_once: int = 0  # 0: as many as there are cores
    allowed_hosts: list[str] = []
