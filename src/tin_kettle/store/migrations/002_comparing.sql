-- A version is a revision with a name.
CREATE TABLE versions (
    id INTEGER PRIMARY KEY,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    revision_id INTEGER NOT NULL REFERENCES revisions (id),
    name TEXT NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX versions_by_song ON versions (song_id);
CREATE INDEX versions_by_revision ON versions (revision_id);

-- Finished records to compare with; the passage is in frames of the file.
CREATE TABLE reference_records (
    id INTEGER PRIMARY KEY,
    sha256 TEXT NOT NULL UNIQUE REFERENCES sources (sha256),
    name TEXT NOT NULL,
    start_frame INTEGER NOT NULL,
    end_frame INTEGER NOT NULL CHECK (end_frame > start_frame)
) STRICT;

-- Findings that the user does not want to hear of again.
CREATE TABLE dismissed_findings (
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    finding_id TEXT NOT NULL,
    PRIMARY KEY (song_id, finding_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE blind_tests (
    id INTEGER PRIMARY KEY,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('which is X', 'which is better')),
    first TEXT NOT NULL,
    second TEXT NOT NULL,
    rounds INTEGER NOT NULL,
    hits INTEGER NOT NULL,
    says TEXT NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX blind_tests_by_song ON blind_tests (song_id);
