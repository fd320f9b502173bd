-- Looking through what a class did: answer sheets, keys that are released, finding by words.

-- What an instructor set for the answers of a work; without a row the sheet is as the procedure makes it.
CREATE TABLE answer_sheet (
    class_id   uuid NOT NULL REFERENCES class,
    work       text NOT NULL CHECK (work <> ''),
    settings   jsonb NOT NULL,
    changed_by bigint NOT NULL REFERENCES account,
    changed_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (class_id, work)
);

-- From here on benches see what their samples held.
CREATE TABLE unknown_released (
    class_id    uuid NOT NULL REFERENCES class,
    series      text NOT NULL,
    released_by bigint NOT NULL REFERENCES account,
    released_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (class_id, series)
);

-- Words of entries, in whatever language they are: no stemming, no stop words.
CREATE INDEX entry_words ON entry USING gin (jsonb_to_tsvector('simple', payload, '["string"]'));
CREATE INDEX container_words ON container USING gin (to_tsvector('simple', label || ' ' || code || ' ' || kind));
