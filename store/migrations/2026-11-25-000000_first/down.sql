DROP TABLE delivery;
DROP TABLE journal;
DROP TABLE line;
DROP TABLE cast_member;
DROP TABLE blob;
DROP TABLE production;
