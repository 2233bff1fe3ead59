DROP TABLE waiting;
DROP TABLE change;
DROP TABLE step;
