-- 0007_answer_picture.sql: a photo beside a figure that was typed, or in its place.

ALTER TABLE answer ADD COLUMN picture TEXT REFERENCES picture (digest);
