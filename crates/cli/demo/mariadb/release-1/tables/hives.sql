CREATE TABLE hives (
    id int UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    apiary_id int UNSIGNED NOT NULL,
    label varchar(20) NOT NULL,
    kind enum('Dadant', 'Zander', 'Top bar') NOT NULL DEFAULT 'Zander',
    weight decimal(6,2) COMMENT 'in kilograms, with everything in it',
    paint_colour varchar(20),
    CONSTRAINT weight_is_possible CHECK (weight BETWEEN 0 AND 500),
    UNIQUE KEY one_label_an_apiary (apiary_id, label),
    FOREIGN KEY (apiary_id) REFERENCES apiaries (id)
);
