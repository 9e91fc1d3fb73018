-- What belongs to a record and not to its songs. Its edits are kept as states that undo and redo move among; the columns
-- of records and songs are always the state that the record stands at.
ALTER TABLE records ADD COLUMN date TEXT;
ALTER TABLE records ADD COLUMN upc TEXT;
ALTER TABLE records ADD COLUMN archived INTEGER NOT NULL DEFAULT 0;
ALTER TABLE records ADD COLUMN deleted_at TEXT;
ALTER TABLE records ADD COLUMN edit_id INTEGER REFERENCES record_edits (id);
-- Level, gap, fades and trims of a song in its record, as JSON; what is not there takes its default.
ALTER TABLE songs ADD COLUMN laid TEXT NOT NULL DEFAULT '{}';

CREATE TABLE record_edits (
    id INTEGER PRIMARY KEY,
    record_id INTEGER NOT NULL REFERENCES records (id) ON DELETE CASCADE,
    parent_id INTEGER REFERENCES record_edits (id),
    label TEXT NOT NULL,
    state TEXT NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX record_edits_by_record ON record_edits (record_id);
CREATE INDEX record_edits_by_parent ON record_edits (parent_id);
CREATE INDEX records_by_edit ON records (edit_id);

-- A song printed by a spec. ``content`` names all that it was made of, so that what was changed since is told.
CREATE TABLE deliveries (
    id INTEGER PRIMARY KEY,
    record_id INTEGER NOT NULL REFERENCES records (id) ON DELETE CASCADE,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    revision_id INTEGER NOT NULL REFERENCES revisions (id),
    spec TEXT NOT NULL,
    content TEXT NOT NULL,
    file_name TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('running', 'done', 'failed', 'stopped')),
    problem TEXT,
    sha256 TEXT,
    checks TEXT,
    measures TEXT,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX deliveries_by_record ON deliveries (record_id);
CREATE INDEX deliveries_by_song ON deliveries (song_id);
CREATE INDEX deliveries_by_revision ON deliveries (revision_id);
