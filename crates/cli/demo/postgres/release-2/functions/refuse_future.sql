CREATE FUNCTION refuse_future() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'an inspection can''t be in the future';
END
$$;
