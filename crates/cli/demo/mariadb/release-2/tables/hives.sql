CREATE TABLE hives (
    id int UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    apiary_id int UNSIGNED NOT NULL,
    label varchar(30) NOT NULL,
    kind enum('Dadant', 'Zander', 'Top bar', 'Warré') NOT NULL DEFAULT 'Zander',
    weight_kg decimal(6,2) COMMENT 'in kilograms, with everything in it', -- wevrun: formerly weight
    frame_count int,
    CONSTRAINT weight_is_possible CHECK (weight_kg BETWEEN 0 AND 500),
    UNIQUE KEY one_label_an_apiary (apiary_id, label),
    FOREIGN KEY (apiary_id) REFERENCES apiaries (id)
);
