-- The notebook. A page belongs to a bench; its entries are written once.

CREATE TABLE page (
    id         uuid PRIMARY KEY,
    bench_id   uuid NOT NULL REFERENCES bench,
    technique  text NOT NULL CHECK (technique <> ''),
    number     smallint NOT NULL CHECK (number > 0),
    started_by bigint NOT NULL REFERENCES account,
    started_at timestamptz NOT NULL DEFAULT now(),
    -- How many entries the page has; counting on this row lets one writer at a time through.
    entries    integer NOT NULL DEFAULT 0,
    -- What the class board shows of the page. A projection: it can be rebuilt from the entries.
    summary    jsonb NOT NULL DEFAULT '{}',
    UNIQUE (bench_id, technique, number)
);

CREATE TABLE entry (
    id         uuid PRIMARY KEY,
    page_id    uuid NOT NULL REFERENCES page,
    seq        integer NOT NULL CHECK (seq > 0),
    kind       text NOT NULL,
    payload    jsonb NOT NULL CHECK (payload ->> 'kind' = kind),
    strikes    uuid UNIQUE,
    reason     text NOT NULL DEFAULT '',
    author_id  bigint NOT NULL REFERENCES account,
    written_at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (page_id, seq),
    UNIQUE (page_id, id),
    FOREIGN KEY (page_id, strikes) REFERENCES entry (page_id, id),
    CHECK (strikes IS DISTINCT FROM id),
    CHECK ((strikes IS NULL) = (reason = '')),
    CHECK (kind <> 'struck' OR strikes IS NOT NULL)
);

CREATE FUNCTION refuse_in_ink() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'entries are in ink: write a correction that strikes the old one through'
        USING ERRCODE = 'restrict_violation';
END
$$;

CREATE TRIGGER in_ink BEFORE UPDATE OR DELETE ON entry
    FOR EACH ROW EXECUTE FUNCTION refuse_in_ink();
CREATE TRIGGER in_ink_whole BEFORE TRUNCATE ON entry
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_in_ink();
