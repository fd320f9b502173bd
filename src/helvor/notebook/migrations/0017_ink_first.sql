-- A reading is in ink before anything is worked out of it. Until the page's summary, which the board
-- shows, has caught up with its entries, the page says that it is behind.
ALTER TABLE page ADD COLUMN behind boolean NOT NULL DEFAULT false;
