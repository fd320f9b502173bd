-- A bench's own code, which alone opens it while it holds; and a bench that no further tablet joins.
ALTER TABLE bench ADD COLUMN own_code text UNIQUE, ADD COLUMN own_code_until timestamptz, ADD COLUMN locked_at timestamptz;
