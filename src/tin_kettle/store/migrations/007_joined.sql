-- A delivery may be of the record as a whole: it has no song, and tells where each song begins in it, as JSON.
CREATE TABLE deliveries_of_any (
    id INTEGER PRIMARY KEY,
    record_id INTEGER NOT NULL REFERENCES records (id) ON DELETE CASCADE,
    song_id INTEGER REFERENCES songs (id) ON DELETE CASCADE,
    revision_id INTEGER REFERENCES revisions (id),
    spec TEXT NOT NULL,
    content TEXT NOT NULL,
    file_name TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('running', 'done', 'failed', 'stopped')),
    problem TEXT,
    sha256 TEXT,
    checks TEXT,
    measures TEXT,
    starts TEXT,
    made_at TEXT NOT NULL
) STRICT;
INSERT INTO deliveries_of_any (
    id, record_id, song_id, revision_id, spec, content, file_name, state, problem, sha256, checks, measures, made_at
) SELECT
    id, record_id, song_id, revision_id, spec, content, file_name, state, problem, sha256, checks, measures, made_at
FROM deliveries;
DROP TABLE deliveries;
ALTER TABLE deliveries_of_any RENAME TO deliveries;
CREATE INDEX deliveries_by_record ON deliveries (record_id);
CREATE INDEX deliveries_by_song ON deliveries (song_id);
CREATE INDEX deliveries_by_revision ON deliveries (revision_id);

-- The picture on the front, by the hash of its file.
ALTER TABLE records ADD COLUMN cover TEXT;
