CREATE TYPE hive_kind AS ENUM ('Dadant', 'Zander', 'Top bar', 'Warré');
