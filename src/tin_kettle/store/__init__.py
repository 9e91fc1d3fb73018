"""The library on disk: one SQLite file, sound files by content hash, prints, waveforms, surveys."""
