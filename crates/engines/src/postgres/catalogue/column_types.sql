-- Each type with each modifier once.
SELECT a.atttypid, a.atttypmod, format_type(a.atttypid, a.atttypmod)
FROM (SELECT DISTINCT atttypid, atttypmod FROM pg_attribute WHERE attrelid >= 16384 AND attnum > 0 AND NOT attisdropped) a;
