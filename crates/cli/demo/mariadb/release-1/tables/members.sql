CREATE TABLE members (
    id int UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    name varchar(80) NOT NULL,
    status varchar(10) NOT NULL DEFAULT 'active' CHECK (status IN ('active', 'resting', 'left')),
    joined_on date NOT NULL DEFAULT (curdate()),
    UNIQUE KEY members_name (name)
);
