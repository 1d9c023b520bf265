-- Whose change a row is, and the revision that took it back: what a person can undo and redo is
-- found by an index. Rows of before have no author: they are anyone's to take back.
ALTER TABLE journal ADD COLUMN author TEXT;
ALTER TABLE journal ADD COLUMN undone_by INTEGER;
CREATE INDEX journal_undoable ON journal (job_id, author, revision)
    WHERE undone_by IS NULL AND act <> 'undo';
CREATE INDEX journal_redoable ON journal (job_id, author, revision)
    WHERE undone_by IS NULL AND act = 'undo';
CREATE INDEX journal_edits ON journal (job_id, author, revision) WHERE act = 'edit';

-- The job's own fields and its calibration are things like all others.
INSERT INTO thing (job_id, kind, id, body) SELECT id, 'job', 'job', body -> '$.job' FROM job;
INSERT INTO thing (job_id, kind, id, body)
    SELECT id, 'calibration', 'calibration', body -> '$.calibration' FROM job
    WHERE body ->> '$.calibration' IS NOT NULL;
ALTER TABLE job DROP COLUMN body;
