SELECT 'foreign-data wrapper', quote_ident(w.fdwname),
  format('CREATE FOREIGN DATA WRAPPER %I%s%s%s;', w.fdwname,
    CASE WHEN w.fdwhandler <> 0 THEN format(' HANDLER %s', w.fdwhandler::regproc) ELSE '' END,
    CASE WHEN w.fdwvalidator <> 0 THEN format(' VALIDATOR %s', w.fdwvalidator::regproc) ELSE '' END,
    (SELECT format(' OPTIONS (%s)', string_agg(format('%I %L', o.option_name, o.option_value), ', ' ORDER BY o.option_name)) FROM pg_options_to_table(w.fdwoptions) o HAVING count(*) > 0))
FROM pg_foreign_data_wrapper w
WHERE w.oid >= 16384 /*own pg_foreign_data_wrapper w.oid*/
ORDER BY w.fdwname;
SELECT 'server', quote_ident(s.srvname),
  format('CREATE SERVER %I%s%s FOREIGN DATA WRAPPER %I%s;', s.srvname,
    CASE WHEN s.srvtype IS NOT NULL THEN format(' TYPE %L', s.srvtype) ELSE '' END,
    CASE WHEN s.srvversion IS NOT NULL THEN format(' VERSION %L', s.srvversion) ELSE '' END, w.fdwname,
    (SELECT format(' OPTIONS (%s)', string_agg(format('%I %L', o.option_name, o.option_value), ', ' ORDER BY o.option_name)) FROM pg_options_to_table(s.srvoptions) o HAVING count(*) > 0))
FROM pg_foreign_server s JOIN pg_foreign_data_wrapper w ON w.oid = s.srvfdw
WHERE s.oid >= 16384 /*own pg_foreign_server s.oid*/
ORDER BY s.srvname;
SELECT 'user mapping', format('%I SERVER %I', u.usename, u.srvname),
  format('CREATE USER MAPPING FOR %s SERVER %I%s;', CASE WHEN u.umuser = 0 THEN 'public' ELSE quote_ident(u.usename) END, u.srvname,
    (SELECT format(' OPTIONS (%s)', string_agg(format('%I %L', o.option_name, o.option_value), ', ' ORDER BY o.option_name)) FROM pg_options_to_table(u.umoptions) o HAVING count(*) > 0))
FROM pg_user_mappings u
ORDER BY 2;
