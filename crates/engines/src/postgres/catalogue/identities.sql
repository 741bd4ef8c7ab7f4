SELECT a.attrelid, a.attnum, a.attidentity, sn.nspname, sc.relname, s.seqstart, s.seqincrement, s.seqmin, s.seqmax, s.seqcache, s.seqcycle,
  CASE WHEN false /*15+ OR sc.relpersistence <> c.relpersistence*/ THEN sc.relpersistence END
FROM pg_depend i JOIN pg_sequence s ON s.seqrelid = i.objid JOIN pg_class sc ON sc.oid = i.objid JOIN pg_namespace sn ON sn.oid = sc.relnamespace
JOIN pg_class c ON c.oid = i.refobjid JOIN pg_attribute a ON a.attrelid = i.refobjid AND a.attnum = i.refobjsubid
WHERE i.classid = 'pg_class'::regclass AND i.refclassid = 'pg_class'::regclass AND i.deptype = 'i' AND a.attidentity <> '';
