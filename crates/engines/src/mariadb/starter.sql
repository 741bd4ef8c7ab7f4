-- One file an object, with the triggers that belong to it.
CREATE TABLE apiaries (
    id int UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    name varchar(80) NOT NULL,
    founded_on date NOT NULL,
    created_at timestamp NOT NULL DEFAULT current_timestamp(),
    UNIQUE KEY apiaries_name (name),
    CONSTRAINT apiaries_founded CHECK (founded_on >= DATE '1900-01-01')
) COMMENT='Where hives stand';
