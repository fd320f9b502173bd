-- Photographs of plates: the picture as the camera wrote it, and what was read from it last.

CREATE TABLE photograph (
    id       uuid PRIMARY KEY,
    page_id  uuid NOT NULL REFERENCES page,
    name     text NOT NULL,
    media    text NOT NULL,
    sha256   text NOT NULL,
    -- Its pixels untouched; place, camera and the like taken out beside them.
    content  bytea NOT NULL,
    shown    bytea NOT NULL,
    wide     integer NOT NULL,
    high     integer NOT NULL,
    light    text NOT NULL,
    made_by  bigint NOT NULL REFERENCES account,
    made_at  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX photograph_of_page ON photograph (page_id, made_at);
CREATE TRIGGER photograph_stays BEFORE UPDATE OR DELETE ON photograph
    FOR EACH ROW EXECUTE FUNCTION refuse_in_ink();

-- A projection: it can be read again from the photograph at any time. What a person asked for
-- (corners, quarter turns) is kept with it; a newer asking has a higher number.
CREATE TABLE photograph_reading (
    photograph_id uuid PRIMARY KEY REFERENCES photograph,
    number        integer NOT NULL DEFAULT 1,
    asked         jsonb NOT NULL,
    stage         text NOT NULL,
    told_at       timestamptz NOT NULL DEFAULT now(),
    proposal      jsonb,
    straight      bytea,
    trouble       text NOT NULL DEFAULT ''
);
