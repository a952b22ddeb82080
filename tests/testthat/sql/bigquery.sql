SELECT * FROM `sold` WHERE 1 = 0

SELECT COUNT(*) AS n FROM `sold`

CREATE TABLE `work`.`rows` AS SELECT ROW_NUMBER() OVER () AS place, CAST(`customer` AS STRING) AS
c1, CAST(`receipt` AS STRING) AS c2, CAST(`day` AS STRING) AS c3, CAST(`amount` AS STRING) AS c4,
CAST(`state` AS STRING) AS c5, CAST(`shop` AS STRING) AS c6, CAST(`money` AS STRING) AS c7,
CAST(`pieces` AS STRING) AS c8, CAST(`off` AS STRING) AS c9, CAST(`paid_for` AS STRING) AS c10,
CAST(`thing` AS STRING) AS c11, CAST(`back_of` AS STRING) AS c12, CAST(`line` AS STRING) AS c13
FROM `sold`

SELECT COUNT(*) AS n, COUNT(c1) AS nc1, MIN(c1) AS lowc1, MAX(c1) AS highc1,
SUM(ABS(MOD(FARM_FINGERPRINT(c1), 1000000007))) AS sumc1, COUNT(c2) AS nc2, MIN(c2) AS lowc2,
MAX(c2) AS highc2, SUM(ABS(MOD(FARM_FINGERPRINT(c2), 1000000007))) AS sumc2, COUNT(c3) AS nc3,
MIN(c3) AS lowc3, MAX(c3) AS highc3, SUM(ABS(MOD(FARM_FINGERPRINT(c3), 1000000007))) AS sumc3,
COUNT(c4) AS nc4, MIN(c4) AS lowc4, MAX(c4) AS highc4, SUM(ABS(MOD(FARM_FINGERPRINT(c4),
1000000007))) AS sumc4, COUNT(c5) AS nc5, MIN(c5) AS lowc5, MAX(c5) AS highc5,
SUM(ABS(MOD(FARM_FINGERPRINT(c5), 1000000007))) AS sumc5, COUNT(c6) AS nc6, MIN(c6) AS lowc6,
MAX(c6) AS highc6, SUM(ABS(MOD(FARM_FINGERPRINT(c6), 1000000007))) AS sumc6, COUNT(c7) AS nc7,
MIN(c7) AS lowc7, MAX(c7) AS highc7, SUM(ABS(MOD(FARM_FINGERPRINT(c7), 1000000007))) AS sumc7,
COUNT(c8) AS nc8, MIN(c8) AS lowc8, MAX(c8) AS highc8, SUM(ABS(MOD(FARM_FINGERPRINT(c8),
1000000007))) AS sumc8, COUNT(c9) AS nc9, MIN(c9) AS lowc9, MAX(c9) AS highc9,
SUM(ABS(MOD(FARM_FINGERPRINT(c9), 1000000007))) AS sumc9, COUNT(c10) AS nc10, MIN(c10) AS lowc10,
MAX(c10) AS highc10, SUM(ABS(MOD(FARM_FINGERPRINT(c10), 1000000007))) AS sumc10, COUNT(c11) AS
nc11, MIN(c11) AS lowc11, MAX(c11) AS highc11, SUM(ABS(MOD(FARM_FINGERPRINT(c11), 1000000007)))
AS sumc11, COUNT(c12) AS nc12, MIN(c12) AS lowc12, MAX(c12) AS highc12,
SUM(ABS(MOD(FARM_FINGERPRINT(c12), 1000000007))) AS sumc12, COUNT(c13) AS nc13, MIN(c13) AS
lowc13, MAX(c13) AS highc13, SUM(ABS(MOD(FARM_FINGERPRINT(c13), 1000000007))) AS sumc13 FROM
`work`.`rows` t

SELECT MIN(r.place) AS first_place, COALESCE(r.c3, '') AS k1 FROM `work`.`rows` r GROUP BY
COALESCE(r.c3, '') ORDER BY 1

CREATE TEMP TABLE `days_read` (k1 STRING, day INT64, seconds FLOAT64, no_date INT64, bad_date
INT64)

SELECT MIN(r.place) AS first_place, COALESCE(r.c4, '') AS k1, COALESCE(r.c7, '') AS k2 FROM
`work`.`rows` r GROUP BY COALESCE(r.c4, ''), COALESCE(r.c7, '') ORDER BY 1

CREATE TEMP TABLE `amounts_read` (k1 STRING, k2 STRING, units FLOAT64, bad_amount INT64,
no_amount INT64, is_foreign INT64, rounded INT64, rest FLOAT64, converted INT64, currency STRING)

SELECT MIN(r.place) AS first_place, COALESCE(r.c1, '') AS k1 FROM `work`.`rows` r GROUP BY
COALESCE(r.c1, '') ORDER BY 1

CREATE TEMP TABLE `people_read` (k1 STRING, person INT64, no_customer INT64, excluded INT64)

CREATE TABLE `work`.`facts` AS SELECT r.place AS place, person, TRIM(COALESCE(r.c2, ''), '
~~~~~ ') AS order_id, day, seconds, units, currency, rounded, rest, converted, no_customer AS f2,
no_date AS f3, bad_date AS f4, bad_amount AS f5, no_amount AS f6, 0 AS f7, 0 AS f8, 0 AS f9,
is_foreign AS f10, excluded AS f11, 0 AS f12, 0 AS f13, 0 AS f14, 0 AS f15, 0 AS f16, 0 AS f17, 0
AS f18 FROM `work`.`rows` r JOIN `days_read` days_read ON days_read.k1 = COALESCE(r.c3, '') JOIN
`amounts_read` amounts_read ON amounts_read.k1 = COALESCE(r.c4, '') AND amounts_read.k2 =
COALESCE(r.c7, '') JOIN `people_read` people_read ON people_read.k1 = COALESCE(r.c1, '')

CREATE TABLE `work`.`copies` AS SELECT place FROM (SELECT r.place, ROW_NUMBER() OVER (PARTITION
BY r.c1, r.c2, r.c3, r.c4, r.c5, r.c6, r.c7, r.c8, r.c9, r.c10, r.c11, r.c12, r.c13 ORDER BY
r.place) AS nth FROM `work`.`rows` r) t WHERE nth > 1

SELECT place FROM `work`.`copies` ORDER BY place

SELECT COALESCE(SUM(CASE WHEN lines > 1 THEN 1 ELSE 0 END), 0) AS several, COALESCE(SUM(CASE WHEN
order_id = '' THEN 1 ELSE 0 END), 0) AS no_id FROM (SELECT person, order_id, COUNT(*) AS lines
FROM `work`.`facts` f LEFT JOIN `work`.`copies` c ON c.place = f.place WHERE c.place IS NULL
GROUP BY person, order_id, CASE WHEN order_id = '' THEN day END) u

CREATE TABLE `work`.`touched` AS SELECT f.place FROM `work`.`facts` f JOIN (SELECT DISTINCT
person, order_id, CASE WHEN order_id = '' THEN day END AS own_day FROM `work`.`facts` WHERE place
IN (SELECT place FROM `work`.`copies`)) u ON u.person = f.person AND u.order_id = f.order_id AND
u.own_day IS NOT DISTINCT FROM CASE WHEN f.order_id = '' THEN f.day END

SELECT r.*, f.person, f.order_id, f.day FROM `work`.`touched` s JOIN `work`.`rows` r ON r.place =
s.place JOIN `work`.`facts` f ON f.place = s.place ORDER BY r.place

CREATE TEMP TABLE `set_aside` (of_place FLOAT64)

CREATE TABLE `work`.`judged` AS SELECT f.*, CASE WHEN d.of_place IS NOT NULL THEN 1 WHEN f2 = 1
THEN 2 WHEN f3 = 1 THEN 3 WHEN f4 = 1 THEN 4 WHEN f5 = 1 THEN 5 WHEN f6 = 1 THEN 6 WHEN f7 = 1
THEN 7 WHEN f8 = 1 THEN 8 WHEN f9 = 1 THEN 9 WHEN f10 = 1 THEN 10 WHEN f11 = 1 THEN 11 WHEN f12 =
1 THEN 12 WHEN f13 = 1 THEN 13 WHEN f14 = 1 THEN 14 WHEN f15 = 1 THEN 15 WHEN f16 = 1 THEN 16
WHEN f17 = 1 THEN 17 WHEN f18 = 1 THEN 18 ELSE 0 END AS reason, CASE WHEN d.of_place IS NOT NULL
THEN 1 ELSE 0 END AS f1 FROM `work`.`facts` f LEFT JOIN `set_aside` d ON d.of_place = f.place

SELECT reason, currency, COUNT(*) AS n, COALESCE(SUM(units), 0) AS units, SUM(CASE WHEN units IS
NULL THEN 1 ELSE 0 END) AS unknown, MIN(place) AS example FROM `work`.`judged` GROUP BY reason,
currency

SELECT day, SUM(CASE WHEN reason = 0 THEN units ELSE 0 END) AS identified, SUM(units) AS total
FROM `work`.`judged` WHERE reason = 0 OR (reason = 2 AND f1 + f3 + f4 + f5 + f6 + f7 + f8 + f9 +
f10 + f11 + f12 + f13 + f14 + f15 + f16 + f17 + f18 = 0) GROUP BY day ORDER BY day

SELECT r.*, reason, f1, f2, f3, f4, f5, f6, f7, f8, f9, f10, f11, f12, f13, f14, f15, f16, f17,
f18 FROM `work`.`judged` j JOIN `work`.`rows` r ON r.place = j.place WHERE reason > 0 ORDER BY
r.place

SELECT DISTINCT person FROM `work`.`judged` WHERE reason = 0

CREATE TEMP TABLE `codes` (of_person INT64, customer INT64)

CREATE TABLE `work`.`kept` AS SELECT j.*, c.customer FROM `work`.`judged` j JOIN `codes` c ON
c.of_person = j.person WHERE reason = 0

SELECT MIN(r.place) AS first_place, COALESCE(r.c9, '') AS k1 FROM `work`.`rows` r GROUP BY
COALESCE(r.c9, '') ORDER BY 1

CREATE TEMP TABLE `discount_read` (k1 STRING, value FLOAT64)

SELECT MIN(r.place) AS first_place, COALESCE(r.c10, '') AS k1 FROM `work`.`rows` r GROUP BY
COALESCE(r.c10, '') ORDER BY 1

CREATE TEMP TABLE `cost_read` (k1 STRING, value FLOAT64)

CREATE TABLE `work`.`sold` AS SELECT k.place AS place, k.customer AS customer, k.order_id AS
order_id, k.day AS day, k.seconds AS seconds, k.units AS units, NULLIF(TRIM(COALESCE(r.c6, ''), '
~~~~~ '), '') AS l1, discount_read.value AS l2, cost_read.value AS l3 FROM `work`.`kept` k JOIN
`work`.`rows` r ON r.place = k.place JOIN `discount_read` discount_read ON discount_read.k1 =
COALESCE(r.c9, '') JOIN `cost_read` cost_read ON cost_read.k1 = COALESCE(r.c10, '')

CREATE TABLE `work`.`seen` AS SELECT s.*, 0 AS named, 0 AS moved, CASE WHEN units < 0 AND
order_id <> '' AND day > start_day THEN 1 ELSE 0 END AS late FROM (SELECT s.*, MIN(day) OVER
(PARTITION BY customer, order_id, CASE WHEN order_id = '' THEN day END) AS start_day FROM
`work`.`sold` s) s

CREATE TABLE `work`.`placed` AS SELECT s.*, order_id AS key_order, CASE WHEN moved = 0 AND
order_id = '' THEN day ELSE 0 END AS key_day, CASE WHEN late = 1 AND moved = 0 AND NOT (0 = 1)
THEN day ELSE 0 END AS alone, CASE WHEN moved = 1 OR (0 = 1) THEN 1 ELSE 0 END AS apart FROM
`work`.`seen` s

SELECT COALESCE(SUM(CASE WHEN alone <> 0 THEN 1 ELSE 0 END), 0) AS split, COALESCE(SUM(moved), 0)
AS moved, COALESCE(SUM(CASE WHEN 0 = 1 THEN 1 ELSE 0 END), 0) AS home, COALESCE(SUM(named), 0) AS
named, COALESCE(SUM(CASE WHEN units < 0 THEN 1 ELSE 0 END), 0) AS back FROM `work`.`placed`

DROP TABLE IF EXISTS `work`.`seen`

CREATE TABLE `work`.`every_order` AS SELECT ROW_NUMBER() OVER (ORDER BY customer, day, moment,
key_order, first_place) AS number, t.* FROM (SELECT customer, key_order, key_day, alone, MIN(CASE
WHEN apart = 0 THEN day END) AS day, MAX(CASE WHEN apart = 0 THEN day END) AS last_day, MIN(CASE
WHEN apart = 0 THEN day * 86400.0 + seconds END) AS moment, MIN(CASE WHEN apart = 0 THEN place
END) AS first_place, SUM(units) AS sales, COUNT(*) AS n_lines, CASE WHEN SUM(units) = 0 AND
MIN(CASE WHEN units < 0 THEN -1 ELSE 1 END) >= 0 AND MAX(CASE WHEN units < 0 THEN -1 ELSE 1 END)
> 0 THEN 1 ELSE 0 END AS free FROM `work`.`placed` GROUP BY customer, key_order, key_day, alone)
t

CREATE TABLE `work`.`every_line` AS SELECT ROW_NUMBER() OVER (ORDER BY o.number, p.place) AS
seat, o.number AS number, p.units AS sales, p.place AS place, p.customer AS customer, p.l1 AS l1,
p.l2 AS l2, p.l3 AS l3 FROM `work`.`placed` p JOIN `work`.`every_order` o ON o.customer =
p.customer AND o.key_order = p.key_order AND o.key_day = p.key_day AND o.alone = p.alone

SELECT COALESCE(SUM(CASE WHEN order_id = '' THEN 1 ELSE 0 END), 0) AS no_id FROM `work`.`sold`

SELECT MIN(day) AS low, MAX(day) AS high, COUNT(*) AS orders, COUNT(DISTINCT customer) AS people,
SUM(CASE WHEN last_day - day > 1 THEN 1 ELSE 0 END) AS spread FROM `work`.`every_order`

CREATE TEMP TABLE `suspects` (place FLOAT64)

SELECT COALESCE(SUM(rounded), 0) AS rounded, COALESCE(SUM(CASE WHEN rounded = 1 THEN rest END),
0) AS rest, COALESCE(SUM(converted), 0) AS converted FROM `work`.`kept`

SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM `work`.`kept` k JOIN `suspects` s ON
s.place = k.place

SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM (SELECT k.person AS person,
k.order_id AS order_id, SUM(units) AS units FROM `work`.`kept` k LEFT JOIN (SELECT DISTINCT
order_id FROM `work`.`judged` WHERE reason > 1 AND order_id <> '' AND f2 = 1) a ON a.order_id =
k.order_id LEFT JOIN (SELECT DISTINCT person, order_id FROM `work`.`judged` WHERE reason > 1 AND
order_id <> '' AND f2 = 0) b ON b.order_id = k.order_id AND b.person = k.person WHERE a.order_id
IS NOT NULL OR b.order_id IS NOT NULL GROUP BY k.person, k.order_id) t

DROP TABLE IF EXISTS `suspects`

CREATE TABLE `work`.`orders` AS SELECT t.*, CASE WHEN (sales >= 1 OR free = 1) THEN ROW_NUMBER()
OVER (PARTITION BY customer, CASE WHEN (sales >= 1 OR free = 1) THEN 1 ELSE 0 END ORDER BY
number) END AS nth, CASE WHEN (sales >= 1 OR free = 1) THEN LAG(day) OVER (PARTITION BY customer,
CASE WHEN (sales >= 1 OR free = 1) THEN 1 ELSE 0 END ORDER BY number) END AS before_day FROM
(SELECT o.number AS number, o.customer AS customer, o.day AS day, o.sales AS sales, o.n_lines AS
n_lines, o.free AS free, o.key_order AS order_id, p.l3 AS cost FROM `work`.`every_order` o LEFT
JOIN `work`.`placed` p ON p.place = o.first_place WHERE o.day >= 19749) t

CREATE TABLE `work`.`before` AS SELECT o.customer AS customer, o.day AS day, o.sales AS sales,
o.n_lines AS n_lines, o.free AS free FROM `work`.`every_order` o WHERE day < 19749

CREATE TABLE `work`.`lines` AS SELECT l.* FROM `work`.`every_line` l WHERE number IN (SELECT
number FROM `work`.`orders`)

CREATE TABLE `work`.`days` AS SELECT customer, day, sales, ROW_NUMBER() OVER (PARTITION BY
customer ORDER BY day) AS nth, LAG(day) OVER (PARTITION BY customer ORDER BY day) AS before_day
FROM (SELECT customer, day, SUM(sales) AS sales FROM `work`.`orders` WHERE (sales >= 1 OR free =
1) GROUP BY customer, day) d

DROP TABLE IF EXISTS `work`.`rows`

DROP TABLE IF EXISTS `work`.`facts`

DROP TABLE IF EXISTS `work`.`judged`

DROP TABLE IF EXISTS `work`.`kept`

DROP TABLE IF EXISTS `work`.`sold`

DROP TABLE IF EXISTS `work`.`placed`

DROP TABLE IF EXISTS `work`.`every_order`

DROP TABLE IF EXISTS `work`.`every_line`

DROP TABLE IF EXISTS `work`.`copies`

DROP TABLE IF EXISTS `work`.`touched`

DROP TABLE IF EXISTS `set_aside`

DROP TABLE IF EXISTS `codes`

DROP TABLE IF EXISTS `days_read`

DROP TABLE IF EXISTS `amounts_read`

DROP TABLE IF EXISTS `people_read`

DROP TABLE IF EXISTS `discount_read`

DROP TABLE IF EXISTS `cost_read`

SELECT DISTINCT day FROM (SELECT day FROM `work`.`orders` UNION ALL SELECT day FROM
`work`.`before`) t ORDER BY day

SELECT customer, MIN(day) AS day FROM `work`.`before` WHERE (sales >= 1 OR free = 1) GROUP BY
customer

SELECT customer, COUNT(*) AS n FROM `work`.`orders` GROUP BY customer ORDER BY customer

SELECT COUNT(*) AS orders, COUNT(nth) AS purchases, COALESCE(SUM(sales), 0) AS sales FROM
`work`.`orders`

SELECT COUNT(*) AS n FROM `work`.`days`

SELECT customer, MIN(day) AS low FROM `work`.`orders` GROUP BY customer HAVING COUNT(nth) = 0

SELECT customer, value FROM (SELECT l.customer AS customer, l.l1 AS value, ROW_NUMBER() OVER
(PARTITION BY l.customer ORDER BY l.sales DESC, l.seat) AS nth FROM `work`.`lines` l JOIN (SELECT
MIN(number) AS number FROM `work`.`orders` WHERE (sales >= 1 OR free = 1) GROUP BY customer) f ON
f.number = l.number) t WHERE nth = 1

SELECT customer, MIN(day) AS day FROM `work`.`days` GROUP BY customer

CREATE TEMP TABLE `who` (customer INT64, cohort INT64, start_day INT64, first_day INT64)

CREATE TEMP TABLE `calendar` (day INT64, period INT64)

SELECT cohort, place, SUM(CASE WHEN bought > 0 THEN 1 ELSE 0 END) AS customers, SUM(bought) AS
purchases, SUM(CASE WHEN place = last_place THEN 1 ELSE 0 END) AS last, SUM(n) AS orders,
SUM(here1) AS sums1, SUM(1.0 * here1 * here1) AS squares1, SUM(1.0 * here1 * at_first1) AS
with_first1, SUM((2.0 * (running1 - here1) + here1) * here1) AS running1, SUM(here2) AS sums2,
SUM(1.0 * here2 * here2) AS squares2, SUM(1.0 * here2 * at_first2) AS with_first2, SUM((2.0 *
(running2 - here2) + here2) * here2) AS running2 FROM (SELECT a.*, MAX(CASE WHEN bought > 0 THEN
place END) OVER (PARTITION BY customer) AS last_place, SUM(here1) OVER (PARTITION BY customer
ORDER BY place ROWS UNBOUNDED PRECEDING) AS running1, FIRST_VALUE(here1) OVER (PARTITION BY
customer ORDER BY place) AS at_first1, SUM(here2) OVER (PARTITION BY customer ORDER BY place ROWS
UNBOUNDED PRECEDING) AS running2, FIRST_VALUE(here2) OVER (PARTITION BY customer ORDER BY place)
AS at_first2 FROM (SELECT w.cohort AS cohort, o.customer AS customer, c.period AS place, COUNT(*)
AS n, SUM(CASE WHEN o.nth IS NULL OR o.before_day = o.day THEN 0 ELSE 1 END) AS bought,
SUM(o.sales) AS here1, SUM((o.sales - o.cost)) AS here2 FROM `work`.`orders` o JOIN `who` w ON
w.customer = o.customer JOIN `calendar` c ON c.day = o.day WHERE o.day >= w.first_day GROUP BY
w.cohort, o.customer, c.period) a) b GROUP BY cohort, place

SELECT COALESCE(SUM(o.sales), 0) AS out1, COALESCE(SUM((o.sales - o.cost)), 0) AS out2 FROM
`work`.`orders` o LEFT JOIN `who` w ON w.customer = o.customer WHERE w.customer IS NULL OR o.day
< w.first_day

DROP TABLE IF EXISTS `calendar`

CREATE TEMP TABLE `calendar` (day INT64, period INT64)

SELECT gap, COUNT(*) AS n FROM (SELECT c.period - b.period AS gap FROM (SELECT customer, day AS
number, day, sales, nth, before_day FROM `work`.`days`) p JOIN `calendar` c ON c.day = p.day JOIN
`calendar` b ON b.day = p.before_day WHERE p.nth > 1 AND p.day <= 20240) t GROUP BY gap

DROP TABLE IF EXISTS `calendar`

CREATE TEMP TABLE `calendar` (day INT64, period INT64)

CREATE TEMP TABLE `known` (customer INT64)

CREATE TEMP TABLE `arrived` AS SELECT a.customer, a.period, a.day, CASE WHEN a.last_day IS NULL
THEN 1 WHEN a.period - p.period <= 2 THEN 2 ELSE 3 END AS kind FROM (SELECT f.customer AS
customer, f.period AS period, f.day AS day, COALESCE(f.last_day, CASE WHEN f.customer IN (SELECT
customer FROM `known`) THEN 19749 END) AS last_day FROM (SELECT customer, period, MIN(day) AS
day, NULLIF(MIN(last_day), -2000000) AS last_day FROM (SELECT v.customer AS customer, c.period AS
period, v.day AS day, COALESCE(v.before_day, -2000000) AS last_day FROM `work`.`days` v JOIN
`calendar` c ON c.day = v.day) w GROUP BY customer, period) f) a LEFT JOIN `calendar` p ON p.day
= a.last_day

SELECT period, kind, COUNT(*) AS n FROM `arrived` GROUP BY period, kind

SELECT c.period, COALESCE(a.kind, 4) AS kind, SUM(o.sales) AS sales FROM `work`.`orders` o JOIN
`calendar` c ON c.day = o.day LEFT JOIN `arrived` a ON a.customer = o.customer AND a.period =
c.period GROUP BY c.period, COALESCE(a.kind, 4)

SELECT o.customer AS customer, o.orders AS orders, o.sales AS sales, o.cost AS cost,
COALESCE(b.purchases, 0) AS purchases, COALESCE(b.days, 0) AS days, b.low AS low, b.high AS high,
COALESCE(b.bought, 0) AS bought, COALESCE(b.first_sales, 0) AS first_sales FROM (SELECT customer,
COUNT(*) AS orders, SUM(sales) AS sales, SUM(cost) AS cost FROM `work`.`orders` GROUP BY
customer) o LEFT JOIN (SELECT customer, COUNT(*) AS orders, COUNT(nth) AS purchases, SUM(CASE
WHEN nth IS NULL OR before_day = day THEN 0 ELSE 1 END) AS days, MIN(CASE WHEN nth >= 1 THEN day
END) AS low, MAX(CASE WHEN nth >= 1 THEN day END) AS high, SUM(CASE WHEN nth >= 1 THEN sales ELSE
0 END) AS bought, SUM(CASE WHEN nth = 1 THEN sales ELSE 0 END) AS first_sales FROM `work`.`days`
GROUP BY customer) b ON b.customer = o.customer

SELECT MAX(gap) AS most FROM (SELECT customer, day - before_day AS gap FROM (SELECT customer, day
AS number, day, sales, nth, before_day FROM `work`.`days`) p WHERE nth > 1) g

CREATE TEMP TABLE `logs` (value INT64, log FLOAT64)

SELECT customer, COUNT(*) AS gaps, SUM(gap) AS sum, SUM(gap * gap) AS squares, SUM(log) AS
log_sum, SUM(log * log) AS log_squares, AVG(1.0 * CASE WHEN 2 * nth IN (n, n + 1, n + 2) THEN gap
END) AS median, MAX(gap) AS longest FROM (SELECT customer, gap, ROW_NUMBER() OVER (PARTITION BY
customer ORDER BY gap) AS nth, COUNT(*) OVER (PARTITION BY customer) AS n FROM (SELECT customer,
day - before_day AS gap FROM (SELECT customer, day AS number, day, sales, nth, before_day FROM
`work`.`days`) p WHERE nth > 1) g) r JOIN `logs` l ON l.value = gap GROUP BY customer

SELECT gap, COUNT(*) AS n FROM (SELECT p.day - p.before_day AS gap FROM (SELECT customer, day AS
number, day, sales, nth, before_day FROM `work`.`days`) p WHERE p.nth > 1 AND p.day <= 20240) t
GROUP BY gap

SELECT gap, COUNT(*) AS n FROM (SELECT p.day - p.before_day AS gap FROM (SELECT customer, day AS
number, day, sales, nth, before_day FROM `work`.`days`) p WHERE p.nth > 1 AND p.day <= 20240) t
GROUP BY gap

SELECT DISTINCT sales FROM (SELECT customer, day, sales, nth FROM `work`.`days` WHERE day <=
20240) d WHERE nth > 1 AND sales > 0

DROP TABLE IF EXISTS `logs`

CREATE TEMP TABLE `logs` (value FLOAT64, log FLOAT64)

SELECT customer, MIN(day) AS low, MAX(day) AS high, COUNT(*) AS n, SUM(CASE WHEN nth > 1 THEN
sales ELSE 0 END) AS later FROM (SELECT customer, day, sales, nth FROM `work`.`days` WHERE day <=
20240) d GROUP BY customer ORDER BY customer

SELECT customer, AVG(log) AS log_mean, SUM((log - mean_log) * (log - mean_log)) AS spread FROM
(SELECT d.customer AS customer, l.log AS log, AVG(l.log) OVER (PARTITION BY d.customer) AS
mean_log FROM (SELECT customer, day, sales, nth FROM `work`.`days` WHERE day <= 20240) d JOIN
`logs` l ON l.value = d.sales WHERE d.nth > 1) t GROUP BY customer

SELECT DISTINCT l1 AS value FROM `work`.`lines`

SELECT COALESCE(SUM(sales), 0) AS sales, COALESCE(SUM(n_lines), 0) AS n_lines FROM
`work`.`orders`

CREATE TABLE `lines` AS SELECT l.seat AS seat, l.number AS number, l.sales AS sales, l.place AS
place, l.customer AS customer, l.l1 AS l1, l.l2 AS l2, l.l3 AS l3 FROM `work`.`lines` l JOIN
`work`.`orders` o ON o.number = l.number WHERE o.day BETWEEN 19749 AND 20240 AND (l.l1 IN
('Mill'))

CREATE TABLE `orders` AS SELECT t.*, CASE WHEN (sales >= 1 OR free = 1) THEN ROW_NUMBER() OVER
(PARTITION BY customer, CASE WHEN (sales >= 1 OR free = 1) THEN 1 ELSE 0 END ORDER BY number) END
AS nth, CASE WHEN (sales >= 1 OR free = 1) THEN LAG(day) OVER (PARTITION BY customer, CASE WHEN
(sales >= 1 OR free = 1) THEN 1 ELSE 0 END ORDER BY number) END AS before_day FROM (SELECT
o.number AS number, o.customer AS customer, o.day AS day, o.order_id AS order_id, s.sales AS
sales, s.free AS free, s.n_lines AS n_lines FROM `work`.`orders` o JOIN (SELECT number,
SUM(sales) AS sales, COUNT(*) AS n_lines, CASE WHEN SUM(sales) = 0 AND MIN(CASE WHEN sales < 0
THEN -1 ELSE 1 END) >= 0 AND MAX(CASE WHEN sales < 0 THEN -1 ELSE 1 END) > 0 THEN 1 ELSE 0 END AS
free FROM `lines` GROUP BY number) s ON s.number = o.number) t

CREATE TABLE `days` AS SELECT customer, day, sales, ROW_NUMBER() OVER (PARTITION BY customer
ORDER BY day) AS nth, LAG(day) OVER (PARTITION BY customer ORDER BY day) AS before_day FROM
(SELECT customer, day, SUM(sales) AS sales FROM `orders` WHERE (sales >= 1 OR free = 1) GROUP BY
customer, day) d

SELECT COALESCE(SUM(sales), 0) AS sales, COALESCE(SUM(n_lines), 0) AS n_lines FROM `orders`

SELECT customer, COUNT(*) AS n FROM `orders` GROUP BY customer ORDER BY customer

SELECT COUNT(*) AS orders, COUNT(nth) AS purchases, COALESCE(SUM(sales), 0) AS sales FROM
`orders`

SELECT COUNT(*) AS n FROM `days`

SELECT o.customer AS customer, o.orders AS orders, o.sales AS sales, COALESCE(b.purchases, 0) AS
purchases, COALESCE(b.days, 0) AS days, b.low AS low, b.high AS high, COALESCE(b.bought, 0) AS
bought, COALESCE(b.first_sales, 0) AS first_sales FROM (SELECT customer, COUNT(*) AS orders,
SUM(sales) AS sales FROM `orders` GROUP BY customer) o LEFT JOIN (SELECT customer, COUNT(*) AS
orders, COUNT(nth) AS purchases, SUM(CASE WHEN nth IS NULL OR before_day = day THEN 0 ELSE 1 END)
AS days, MIN(CASE WHEN nth >= 1 THEN day END) AS low, MAX(CASE WHEN nth >= 1 THEN day END) AS
high, SUM(CASE WHEN nth >= 1 THEN sales ELSE 0 END) AS bought, SUM(CASE WHEN nth = 1 THEN sales
ELSE 0 END) AS first_sales FROM `days` GROUP BY customer) b ON b.customer = o.customer

SELECT customer, MIN(day) AS low, MIN(CASE WHEN nth = 2 THEN day END) AS nth_day FROM `days`
GROUP BY customer

