-- Procedures with their drafts and versions, the shelf's own values, files and containers.

ALTER TABLE institution ADD COLUMN house_rules jsonb NOT NULL DEFAULT '{}';

CREATE TABLE procedure (
    id             uuid PRIMARY KEY,
    institution_id bigint NOT NULL REFERENCES institution,
    made_by        bigint NOT NULL REFERENCES account,
    made_at        timestamptz NOT NULL DEFAULT now(),
    -- The draft that is shown; undo goes to its parent.
    draft          integer NOT NULL DEFAULT 0
);

-- Every edit of a draft is kept, so that undo and redo survive a reload.
CREATE TABLE procedure_draft (
    procedure_id uuid NOT NULL REFERENCES procedure,
    number       integer NOT NULL CHECK (number > 0),
    parent       integer,
    body         jsonb NOT NULL,
    what         text NOT NULL,
    made_by      bigint NOT NULL REFERENCES account,
    made_at      timestamptz NOT NULL DEFAULT now(),
    edit         uuid NOT NULL UNIQUE,
    PRIMARY KEY (procedure_id, number)
);

CREATE TABLE procedure_version (
    procedure_id uuid NOT NULL REFERENCES procedure,
    number       integer NOT NULL CHECK (number > 0),
    body         jsonb NOT NULL,
    made_by      bigint NOT NULL REFERENCES account,
    made_at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (procedure_id, number)
);

CREATE FUNCTION refuse_version_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'a version in use stays as it is: put a new one in use'
        USING ERRCODE = 'restrict_violation';
END
$$;
CREATE TRIGGER version_stays BEFORE UPDATE OR DELETE ON procedure_version
    FOR EACH ROW EXECUTE FUNCTION refuse_version_change();

ALTER TABLE page ADD COLUMN procedure_id uuid REFERENCES procedure;
ALTER TABLE page ADD COLUMN procedure_version integer;
ALTER TABLE page ADD FOREIGN KEY (procedure_id, procedure_version)
    REFERENCES procedure_version (procedure_id, number);
CREATE INDEX page_of_procedure ON page (procedure_id) WHERE procedure_id IS NOT NULL;

-- Words of a handout that were corrected for a class; runs that start later get them too.
CREATE TABLE handout_correction (
    id           uuid PRIMARY KEY,
    class_id     uuid NOT NULL REFERENCES class,
    procedure_id uuid NOT NULL REFERENCES procedure,
    step         text NOT NULL,
    says         text NOT NULL,
    why          text NOT NULL DEFAULT '',
    made_by      bigint NOT NULL REFERENCES account,
    made_at      timestamptz NOT NULL DEFAULT now()
);

-- What an institution puts on the shelf over what ships; the newest of a property holds.
CREATE TABLE shelf_value (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    institution_id bigint NOT NULL REFERENCES institution,
    kind           text NOT NULL,
    item           text NOT NULL CHECK (item <> ''),
    property       text NOT NULL CHECK (property <> ''),
    value          text NOT NULL,
    source         text NOT NULL CHECK (source <> ''),
    made_by        bigint NOT NULL REFERENCES account,
    made_at        timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX shelf_value_item ON shelf_value (institution_id, kind, item);

-- Pictures and files beside a step. Kept as they came, but pictures are written anew without their EXIF data.
CREATE TABLE attachment (
    id        uuid PRIMARY KEY,
    page_id   uuid NOT NULL REFERENCES page,
    name      text NOT NULL,
    media     text NOT NULL,
    sha256    text NOT NULL,
    content   bytea NOT NULL,
    thumbnail bytea,
    made_by   bigint NOT NULL REFERENCES account,
    made_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX attachment_of_page ON attachment (page_id);

-- Glass, dishes, papers and stock bottles of a class, and what happened to each, in ink.
CREATE TABLE container (
    id       uuid PRIMARY KEY,
    class_id uuid NOT NULL REFERENCES class,
    code     text NOT NULL,
    label    text NOT NULL CHECK (label <> ''),
    kind     text NOT NULL,
    made_by  bigint NOT NULL REFERENCES account,
    made_at  timestamptz NOT NULL DEFAULT now(),
    UNIQUE (class_id, code)
);
CREATE UNIQUE INDEX container_label ON container (class_id, lower(label));

CREATE TABLE container_note (
    id           uuid PRIMARY KEY,
    container_id uuid NOT NULL REFERENCES container,
    seq          integer NOT NULL CHECK (seq > 0),
    says         jsonb NOT NULL,
    made_by      bigint NOT NULL REFERENCES account,
    made_at      timestamptz NOT NULL DEFAULT now(),
    UNIQUE (container_id, seq)
);
CREATE TRIGGER note_in_ink BEFORE UPDATE OR DELETE ON container_note
    FOR EACH ROW EXECUTE FUNCTION refuse_in_ink();
CREATE TRIGGER note_in_ink_whole BEFORE TRUNCATE ON container_note
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_in_ink();
