DROP TABLE own_parts;
