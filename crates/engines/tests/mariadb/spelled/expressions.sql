`a` = 0 or `b` = 0
`a` = 0 and `b` <= 1
`a` <> 1 or `b` <= 2
`a` <> 0
`a` > 1
octet_length(`s`) and `a` <> 0
`a` + 1 and `b` <> 0
`s` <> 0 and `a` <> 0
`a` > 1 and `b` <> 0
case when `a` then 1 end and `b` <> 0
if(`a`,1,0)
if(`a` > 1 and `b` <> 0,1,0)
!if(`a`,1,0)
`a` is not null
`a` is null
!(`a` <=> `b`)
`s`  not like 'x%'
!(`s` regexp 'x')
`a` not in (1,2)
`a` in (1,2)
`a` not between 1 and 2
`a` between 1 and 2
`a` is true
`a` is not true
`a` is false
`a` is null
!(`a` is true)
`a` xor `b`
`a` = 0 xor `b`
-`a`
--`a`
1
`a`
-1
-5 + `a`
~`a`
`a` = -1
`a` = -`b`
`a` = 0
`a` <= 1
`a` = 0 = `b`
`a` <> `b`
`a` - `b` - `c`
`a` - (`b` - `c`)
`a` * `b` / `c`
`a` / (`b` * `c`)
`a` DIV `b`
`a` MOD `b`
`a` MOD `b`
`a` & `b` | `c`
`a` << 1
`a` ^ `b`
`a` <> 0 or `b` <> 0
`a` = 1 or `b` = 2 and `c` = 3
(`a` = 1 or `b` = 2) and `c` = 3
`a` <> `b`
`a` <> `b`
0x05 = `a`
'A' = `s`
'A' = `s`
0x41 + 0 = `a`
'ab' = `s`
'x' = `s`
'x' = `s`
_utf8mb4'x' = `s`
'x' = `s`
'it\'s' = `s`
'a\'b' = `s`
'a\nb' = `s`
'tab	x' = `s`
'a\\b' = `s`
'a\\%b' = `s`
`s` like 'a\\%b'
`s` like 'a' escape '!'
`s` like 'a' escape '\\'
`s` like 'a%'
`s`  not like 'a%'
`s` regexp 'a'
!(`s` regexp 'a')
cast(`s` as char charset binary) = 'a'
`s` collate utf8mb4_bin = 'a'
cast(`a` as char charset utf8mb4) = `s`
cast(`a` as char(10) charset utf8mb4) = `s`
convert(cast(`a` as char(10) charset latin1) using utf8mb4) = `s`
cast(`s` as unsigned) = `a`
cast(`s` as unsigned) = `a`
cast(`s` as signed) = `a`
cast(`s` as signed) = `a`
cast(`s` as signed) = `a`
cast(`a` as decimal(10,0)) = `n`
cast(`a` as decimal(10,0)) = `n`
cast(`a` as decimal(10,2)) = `n`
cast(`a` as double) = `f`
cast(`a` as float) = `f`
cast(`s` as date) = `d`
cast(`s` as datetime) = `dt`
cast(`s` as datetime(3)) = `dt`
cast(`s` as time) = `ti`
cast(`s` as char charset binary) = 'a'
cast(`s` as char(4) charset binary) = 'a'
cast(`a` as char charset utf8mb4) = `s`
convert(convert(`s` using latin1) using utf8mb4) = `s`
cast(`s` as unsigned) = `a`
convert(cast(`s` as char charset utf8mb3) using utf8mb4) = `s`
octet_length(`s`) > 1
octet_length(`s`) > 1
bit_length(`s`) > 1
char_length(`s`) > 1
char_length(`s`) > 1
lcase(`s`) = 'a'
lcase(`s`) = 'a'
ucase(`s`) = 'a'
ucase(`s`) = 'a'
ceiling(`n`) > 1
ceiling(`n`) > 1
floor(`n`) > 1
round(`n`,0) > 1
round(`n`,1) > 1
truncate(`n`,1) > 1
substr(`s`,2) = 'a'
substr(`s`,2,3) = 'a'
substr(`s`,2) = 'a'
substr(`s`,2,3) = 'a'
substr(`s`,1,1) = 'a'
substr(`s`,2,3) = 'a'
left(`s`,1) = 'a'
right(`s`,1) = 'a'
trim(`s`) = 'a'
trim(`s`) = 'a'
trim(both 'x' from `s`) = 'a'
trim(both 'x' from `s`) = 'a'
ltrim(`s`) = 'a'
trim(leading 'x' from `s`) = 'a'
rtrim(`s`) = 'a'
trim(trailing 'x' from `s`) = 'a'
ltrim(`s`) = 'a'
rtrim(`s`) = 'a'
locate('a',`s`) > 0
locate('a',`s`) > 0
locate('a',`s`,2) > 0
locate('a',`s`) > 0
concat(`s`,'a',`a`) = 'b'
concat_ws(',',`s`,`t`) = 'b'
replace(`s`,'a','b') = 'c'
repeat(`s`,2) = 'c'
reverse(`s`) = 'a'
lpad(`s`,5,'0') = 'a'
lpad(`s`,5) = 'a'
ifnull(`a`,0) > 0
coalesce(`a`,`b`,0) > 0
nullif(`a`,`b`) > 0
ifnull(`a`,0) > 0
nvl2(`a`,1,2) > 0
`a` is null
greatest(`a`,`b`) > 1
least(`a`,`b`) > 1
abs(`a`) > 1
sign(`a`) > 1
pow(`a`,2) > 1
pow(`a`,2) > 1
sqrt(`a`) > 1
exp(`a`) > 1
ln(`a`) > 1
log(`a`) > 1
log(2,`a`) > 1
log2(`a`) > 1
log10(`a`) > 1
`a` MOD 2 = 1
pi() > 3
md5(`s`) = 'a'
sha(`s`) = 'a'
sha(`s`) = 'a'
sha2(`s`,256) = 'a'
crc32(`s`) > 1
hex(`a`) = 'a'
unhex(`s`) = 'a'
conv(`a`,10,2) = 'a'
conv(`a`,10,8) = 'a'
conv(`a`,10,2) = 'a'
char(65,66) = 'a'
char(65 using utf8mb4) = 'a'
ascii(`s`) = 1
ord(`s`) = 1
field(`s`,'a','b') = 1
find_in_set('a',`s`) = 1
elt(`a`,'a','b') = 'a'
format(`n`,2) = 'a'
strcmp(`s`,'a') = 0
space(`a`) = 'a'
soundex(`s`) = 'a'
soundex(`s`) = soundex('a')
quote(`s`) = 'a'
inet_aton(`s`) = 1
year(`d`) > 2000
month(`d`) > 1
dayofmonth(`d`) > 1
dayofmonth(`d`) > 1
dayofweek(`d`) > 1
weekday(`d`) > 1
dayofyear(`d`) > 1
week(`d`,1) > 1
week(`d`,3) > 1
quarter(`d`) > 1
hour(`dt`) > 1
minute(`dt`) > 1
second(`dt`) > 1
microsecond(`dt`) > 1
extract(year from `d`) > 1
extract(day_hour from `dt`) > 1
cast(`dt` as date) = '2020-01-01'
cast(`dt` as time) = '10:00:00'
to_days(`d`) > 1
from_days(`a`) > `d`
last_day(`d`) = `d`
makedate(2020,`a`) = `d`
maketime(`a`,1,1) = `ti`
`d` + interval 1 day > `d`
`d` - interval 1 month > `d`
`d` + interval 1 day > `d`
`d` - interval 1 day > `d`
`d` + interval 1 day > `d`
`d` + interval 1 week > `d`
`d` - interval 1 day > `d`
`dt` + interval '1:30' hour_minute > `dt`
`dt` + interval -`a` second > `dt`
addtime(`dt`,'1:0:0') > `dt`
subtime(`dt`,'1:0:0') > `dt`
timediff(`dt`,`dt`) > '0'
to_days(`d`) - to_days(`d`) > 0
timestampdiff(DAY,`d`,`dt`) > 0
`d` + interval 1 day > `d`
cast(`d` as datetime) > `d`
timestamp(`d`,'10:00') > `d`
period_add(`a`,1) > 1
period_diff(`a`,1) > 1
sec_to_time(`a`) > `ti`
time_to_sec(`ti`) > 1
str_to_date(`s`,'%Y') > `d`
unix_timestamp(`dt`) > 0
DATE'2020-01-01' = `d`
DATE'2020-01-01' = `d`
TIME'10:00:00' = `ti`
TIMESTAMP'2020-01-01 00:00:00' = `dt`
json_valid(`s`)
json_extract(`j`,'$.a') = 1
json_value(`j`,'$.a') = 1
json_unquote(json_extract(`j`,'$.a')) = 'a'
json_length(`j`) > 0
json_array(1,2) = `s`
json_object('a',1) = `s`
json_contains(`j`,'1')
json_exists(`j`,'$.a')
json_type(`j`) = 'a'
`a` = 1
`a` in (1,2,3)
`a` in (3,1,2)
`a` <> 1
`a` not in (1,2)
(`a`,`b`) in ((1,2),(3,4))
(`a`,`b`) = (1,2)
(`a`,`b`) = (1,2)
`a` between 1 and 2
`a` between `b` and `c` and `b` > 1
`a` = 1 = 1
`a` > 1 = (`b` > 1)
`a` > 1 is true
`a` is null = `b`
case `a` when 1 then 2 else 3 end = `b`
case when `a` = 1 then 2 when `b` then 3 end = `b`
case when `a` then `s` end = 'x'
1
0
1
1 = 1
`a` = 1
`a` is null
`a` is not null
regexp_replace(`s`,'a','b') = 'c'
regexp_substr(`s`,'a') = 'c'
regexp_instr(`s`,'a') = 1
interval(`a`,1,2) = 1
bit_count(`a`) = 1
degrees(`f`) > 1
cast(1.50 as char charset utf8mb4) = `s`
1e3 = `f`
1.50 = `n`
0.5 = `n`
0.5e-3 = `f`
1e-10 = `f`
18446744073709551615 = `bi`
9999999999999999999999 = `n`
NULL = `a`
`a` <=> NULL
compress(`s`) = 'a'
from_base64(`s`) = 'a'
to_base64(`s`) = 'a'
weight_string(`s`,0,0,1) = 'a'
insert(`s`,1,2,'x') = 'a'
export_set(`a`,'Y','N') = `s`
make_set(`a`,'x','y') = `s`
`a` MOD 2 = 0 and `s` like '%\\_%'
st_x(st_geometryfromtext('point(1 1)')) = 1
