-- Getting a class ready: how many there are of the kit that is shared, and what is done of a prep sheet.

CREATE TABLE class_kit (
    class_id uuid NOT NULL REFERENCES class,
    name     text NOT NULL CHECK (name <> ''),
    count    integer NOT NULL CHECK (count BETWEEN 1 AND 500),
    PRIMARY KEY (class_id, name)
);

-- A line of a prep sheet that somebody ticked off; taken back by deleting it.
CREATE TABLE prep_done (
    class_id     uuid NOT NULL REFERENCES class,
    meeting      integer NOT NULL,
    procedure_id uuid NOT NULL REFERENCES procedure,
    line         text NOT NULL CHECK (line <> ''),
    done_by      bigint NOT NULL REFERENCES account,
    done_at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (class_id, meeting, procedure_id, line)
);
