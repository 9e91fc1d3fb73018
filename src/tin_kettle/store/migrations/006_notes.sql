-- The engineer's own notes on a song, and what was ticked off of those that the survey found for the mix.
CREATE TABLE notes (
    id INTEGER PRIMARY KEY,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    at_s REAL,
    text TEXT NOT NULL,
    done INTEGER NOT NULL DEFAULT 0,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX notes_by_song ON notes (song_id);

CREATE TABLE ticked_findings (
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    finding_id TEXT NOT NULL,
    PRIMARY KEY (song_id, finding_id)
) STRICT, WITHOUT ROWID;
