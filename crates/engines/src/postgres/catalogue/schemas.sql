SELECT 'schema', quote_ident(n.nspname), format('CREATE SCHEMA %I;', n.nspname)
FROM pg_namespace n
WHERE n.oid >= 16384 AND n.nspname <> 'wevrun' AND n.nspname !~ '^pg_'
  /*own pg_namespace n.oid*/
ORDER BY n.nspname;
SELECT 'extension', quote_ident(e.extname), format('CREATE EXTENSION %I WITH SCHEMA %I;', e.extname, n.nspname)
FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace
WHERE e.oid >= 16384
ORDER BY e.extname;
