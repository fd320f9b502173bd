-- Files that are looked at before they come in, and which columns of a table mean what.

CREATE TABLE import_draft (
    id         uuid PRIMARY KEY,
    class_id   uuid NOT NULL REFERENCES class,
    account_id bigint NOT NULL REFERENCES account,
    name       text NOT NULL,
    content    bytea NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT now(),
    -- When it came in: sent again it comes in no second time.
    done_at    timestamptz
);

-- Columns are mapped once for each heading line that an institution's files have.
CREATE TABLE column_mapping (
    institution_id bigint NOT NULL REFERENCES institution,
    headers        text NOT NULL CHECK (headers <> ''),
    mapping        jsonb NOT NULL,
    changed_by     bigint NOT NULL REFERENCES account,
    changed_at     timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (institution_id, headers)
);
