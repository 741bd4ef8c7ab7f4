SELECT d.objoid, d.objsubid, d.description
FROM pg_description d JOIN pg_class c ON c.oid = d.objoid
WHERE d.classoid = 'pg_class'::regclass AND c.oid >= 16384 AND c.relkind IN ('r', 'p', 'f')
  -- Columns of the system's own, which have negative numbers, are in no source.
  AND d.objsubid >= 0
ORDER BY d.objoid, d.objsubid;
