DROP TABLE cast_step;
