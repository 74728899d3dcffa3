"""The event engine, and what is played on it: outages of journeys by chance."""

from rombel.simulate.batches import BatchMeans, batch_means
from rombel.simulate.engine import Crew, Engine, Pool
from rombel.simulate.outages import OutageParams, Played, play_outages

__all__ = ["BatchMeans", "Crew", "Engine", "OutageParams", "Played", "Pool", "batch_means", "play_outages"]
