-- What happens in the room during a meeting, in ink: beginning and end, notices, accidents, waste.

CREATE TABLE room_entry (
    id         uuid PRIMARY KEY,
    class_id   uuid NOT NULL REFERENCES class,
    meeting    integer NOT NULL CHECK (meeting > 0),
    seq        integer NOT NULL CHECK (seq > 0),
    kind       text NOT NULL,
    payload    jsonb NOT NULL CHECK (payload ->> 'kind' = kind),
    strikes    uuid UNIQUE,
    reason     text NOT NULL DEFAULT '',
    author_id  bigint NOT NULL REFERENCES account,
    written_at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (class_id, meeting, seq),
    UNIQUE (class_id, meeting, id),
    FOREIGN KEY (class_id, meeting, strikes) REFERENCES room_entry (class_id, meeting, id),
    CHECK (strikes IS DISTINCT FROM id),
    CHECK ((strikes IS NULL) = (reason = '')),
    CHECK (kind <> 'struck' OR strikes IS NOT NULL)
);
CREATE TRIGGER room_in_ink BEFORE UPDATE OR DELETE ON room_entry
    FOR EACH ROW EXECUTE FUNCTION refuse_in_ink();
CREATE TRIGGER room_in_ink_whole BEFORE TRUNCATE ON room_entry
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_in_ink();

-- Samples by number: what each holds is the instructors' until it is released.
CREATE TABLE unknown_sample (
    class_id uuid NOT NULL REFERENCES class,
    series   text NOT NULL CHECK (series <> ''),
    number   integer NOT NULL CHECK (number BETWEEN 1 AND 9999),
    holds    jsonb NOT NULL,
    note     text NOT NULL DEFAULT '',
    PRIMARY KEY (class_id, series, number)
);

-- Which bench got which; how it came about stands beside it.
CREATE TABLE unknown_dealt (
    class_id uuid NOT NULL REFERENCES class,
    series   text NOT NULL,
    bench_id uuid NOT NULL REFERENCES bench,
    number   integer NOT NULL,
    how      text NOT NULL,
    dealt_by bigint NOT NULL REFERENCES account,
    dealt_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (class_id, series, bench_id),
    FOREIGN KEY (class_id, series, number) REFERENCES unknown_sample
);
