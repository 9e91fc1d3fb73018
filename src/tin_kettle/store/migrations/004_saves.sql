-- By which name a save asked to be kept: asked again under it, it is the same edit, however far it has gone meanwhile.
ALTER TABLE revisions ADD COLUMN save_id TEXT;
