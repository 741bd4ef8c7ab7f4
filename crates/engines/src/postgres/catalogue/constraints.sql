-- The usual forms as they are in the catalogue; the others as the server's function spells them, which takes much longer.
SELECT k.conrelid, k.conname, k.contype, array_to_string(k.conkey, ' '), rn.nspname, r.relname, k.confrelid, array_to_string(k.confkey, ' '),
  k.confupdtype, k.confdeltype, k.confmatchtype, k.condeferrable, k.condeferred, k.connoinherit, k.convalidated, true /*18+ AND k.conenforced*/,
  CASE k.contype WHEN 'c' THEN pg_get_expr(k.conbin, k.conrelid)
    WHEN 'x' THEN pg_get_constraintdef(k.oid)
    WHEN 'f' THEN CASE WHEN false /*15+ OR k.confdelsetcols IS NOT NULL*/ /*18+ OR k.conperiod*/ THEN pg_get_constraintdef(k.oid) END
    ELSE CASE WHEN i.indnatts <> i.indnkeyatts /*15+ OR i.indnullsnotdistinct*/ /*18+ OR k.conperiod*/ THEN pg_get_constraintdef(k.oid) END END
FROM pg_constraint k JOIN pg_class c ON c.oid = k.conrelid
LEFT JOIN pg_index i ON k.contype IN ('p', 'u', 'x') AND i.indexrelid = k.conindid
LEFT JOIN pg_class r ON r.oid = k.confrelid LEFT JOIN pg_namespace rn ON rn.oid = r.relnamespace
WHERE k.conrelid >= 16384 AND c.relpersistence <> 't' AND k.contype IN ('p', 'u', 'x', 'c', 'f') AND k.conparentid = 0 AND (k.conislocal OR k.contype = 'f')
ORDER BY k.conrelid, position(k.contype IN 'puxcf'), k.conname;
