-- Whose an entry is: the person, the name or the mark of the browser; what a job was brought in with is nobody's.
ALTER TABLE entry ADD COLUMN author TEXT NOT NULL DEFAULT '';
