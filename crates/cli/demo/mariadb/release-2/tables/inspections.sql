CREATE TABLE inspections (
    hive_id int UNSIGNED NOT NULL,
    inspected_on date NOT NULL,
    brood_frames tinyint NOT NULL DEFAULT 0 CHECK (brood_frames BETWEEN 0 AND 20),
    note text,
    PRIMARY KEY (hive_id, inspected_on),
    KEY inspections_by_date (inspected_on),
    FOREIGN KEY (hive_id) REFERENCES hives (id) ON DELETE CASCADE
);

DELIMITER //
CREATE TRIGGER not_in_future BEFORE INSERT ON inspections FOR EACH ROW
BEGIN
    IF NEW.inspected_on > curdate() + INTERVAL 1 DAY THEN
        SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'an inspection can''t be in the future';
    END IF;
END//
DELIMITER ;
