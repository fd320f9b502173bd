-- When an entry was typed, where a device kept it for a while: {"at": time or null, "clock_off": seconds}. The time
-- of writing beside it is the notebook's own.
ALTER TABLE entry ADD COLUMN typed jsonb
    CHECK (typed IS NULL OR (typed ? 'at' AND typed ? 'clock_off'));
