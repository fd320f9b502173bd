-- Why a version was published although its check found a danger; empty where it found none.
ALTER TABLE procedure_version ADD COLUMN why text NOT NULL DEFAULT '';
