-- Pages of practice, of which nothing was really weighed: on their own bench, but not on the board, not in review.

ALTER TABLE page ADD COLUMN virtual boolean NOT NULL DEFAULT false;
