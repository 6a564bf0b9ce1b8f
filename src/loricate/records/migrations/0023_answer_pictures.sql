-- 0023_answer_pictures.sql: photos of single entries of a form, beside the one of a whole answer.
CREATE TABLE answer_picture (
    answer INTEGER NOT NULL REFERENCES answer (id),
    entry TEXT NOT NULL,
    picture TEXT NOT NULL REFERENCES picture (digest),
    PRIMARY KEY (answer, entry)
) STRICT;
