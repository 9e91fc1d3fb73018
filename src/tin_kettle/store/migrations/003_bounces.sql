-- Which files a song's buses are: a set that revisions share. Replacing a bounce is a revision with another set, so that
-- undo brings the old one back.
CREATE TABLE bounce_sets (
    id INTEGER PRIMARY KEY,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE
) STRICT;
CREATE INDEX bounce_sets_by_song ON bounce_sets (song_id);

CREATE TABLE bounces (
    set_id INTEGER NOT NULL REFERENCES bounce_sets (id) ON DELETE CASCADE,
    bus_id TEXT NOT NULL,
    sha256 TEXT NOT NULL REFERENCES sources (sha256),
    PRIMARY KEY (set_id, bus_id)
) STRICT;
CREATE INDEX bounces_by_source ON bounces (sha256);

INSERT INTO bounce_sets (id, song_id) SELECT id, id FROM songs;
INSERT INTO bounces (set_id, bus_id, sha256) SELECT song_id, bus_id, sha256 FROM song_sources ORDER BY rowid;
ALTER TABLE revisions ADD COLUMN set_id INTEGER REFERENCES bounce_sets (id);
UPDATE revisions SET set_id = song_id;
CREATE INDEX revisions_by_bounces ON revisions (set_id);
DROP TABLE song_sources;
