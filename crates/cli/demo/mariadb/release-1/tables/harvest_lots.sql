CREATE TABLE harvest_lots (
    id int UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    apiary_id int UNSIGNED NOT NULL,
    harvested_on date NOT NULL,
    grams int NOT NULL CHECK (grams > 0),
    kilograms decimal(10,3) AS (grams / 1000) STORED,
    FOREIGN KEY (apiary_id) REFERENCES apiaries (id)
);
