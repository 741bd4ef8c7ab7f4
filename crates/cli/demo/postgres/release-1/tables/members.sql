CREATE TABLE members (
    id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL,
    status varchar(10) NOT NULL DEFAULT 'active' CHECK (status IN ('active', 'resting', 'left')),
    joined_on date NOT NULL DEFAULT current_date
);

CREATE UNIQUE INDEX members_by_name ON members (lower(name));
