-- Where the hives stand.
CREATE TABLE apiaries (
    id int UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    name varchar(80) NOT NULL,
    village varchar(80) NOT NULL,
    founded_on date NOT NULL CHECK (founded_on > '1900-01-01'),
    UNIQUE KEY apiaries_name (name)
);
