-- How often an edit was saved in place while the hand moved on: another window that saw it before is told.
ALTER TABLE revisions ADD COLUMN saves INTEGER NOT NULL DEFAULT 0;
