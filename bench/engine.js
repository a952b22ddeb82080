// The same work in a general-purpose engine with 2 threads. Prints one JSON object: seconds by task, and answers to compare.
import { DuckDBInstance } from "@duckdb/node-api";

const file = process.argv[2];
const db = await (await DuckDBInstance.create(":memory:", { threads: "2" })).connect();
const seconds = {}, answers = {};
async function timed(task, sql) {
  const start = process.hrtime.bigint();
  const rows = (await db.runAndReadAll(sql)).getRowObjectsJson();
  seconds[task] = Number(process.hrtime.bigint() - start) / 1e9;
  return rows;
}
// CSV to ledger: read, drop equal rows, form orders, sort by customer and day, customer table
const open = (lines) => `
  create or replace table orders as
  select customer, order_id, min(day) as day, sum(cents) as sales, count(*) as lines
  from (select distinct line_id, order_id, customer, day, sku, quantity, cast(round(cast(amount as decimal(18, 2)) * 100) as bigint) as cents from ${lines})
  group by customer, order_id order by customer, day, order_id;
  create or replace table people as select customer, count(*) filter (sales > 0) as purchases, min(day) filter (sales > 0) as first, max(day) filter (sales > 0) as last, sum(sales) as sales
  from orders group by customer order by customer;`;
const csv = `read_csv('${file}', header = true, columns = {line_id: 'BIGINT', order_id: 'VARCHAR', customer: 'VARCHAR', day: 'DATE', sku: 'VARCHAR', quantity: 'INTEGER', amount: 'VARCHAR'})`;
const parquet = file.replace(/csv$/, "parquet");
await db.run(`copy (select * from ${csv}) to '${parquet}' (format parquet)`);
await timed("open Parquet", open(`read_parquet('${parquet}')`));
await timed("open", open(csv));
const measure = async (task, sql) => { answers[task] = (await timed(task, sql))[0]; };
await measure("customer table", `select count(*) as n, sum(purchases) as p, sum(sales) as s, sum(day_n) as d from (
  select customer, count(*) filter (sales > 0) as purchases, count(distinct day) filter (sales > 0) as day_n, min(day) filter (sales > 0) as first, max(day) filter (sales > 0) as last, sum(sales) as sales from orders group by customer)`);
await measure("order counts", `select count(*) as n, sum(purchases * customers) as p from (select purchases, count(*) as customers from (
  select customer, count(*) as purchases from orders where sales > 0 group by customer) group by purchases)`);
await measure("cohort cells", `select count(*) as n, sum(active) as p, sum(sales) as s from (
  select date_trunc('month', first) as cohort, date_trunc('month', day) as period, count(distinct o.customer) filter (o.sales > 0) as active, sum(o.sales) as sales
  from orders o join (select customer, min(day) as first from orders where sales > 0 group by customer) f on o.customer = f.customer where o.day >= first group by 1, 2)`);
await measure("gaps by customer", `select sum(n) as n, sum(longest) as l, round(sum(middle) * 2) as m from (select customer, count(gap) as n, avg(gap) as mean, coalesce(median(gap), 0) as middle, coalesce(max(gap), 0) as longest from (
  select customer, day - lag(day) over (partition by customer order by day, order_id) as gap from orders where sales > 0) group by customer)`);
await measure("customer x month", `select count(*) as n, sum(p) as p, sum(s) as s from (select customer, date_trunc('month', day) as period, count(*) filter (sales > 0) as p, sum(sales) as s from orders group by 1, 2)`);
await measure("new and returning", `with a as (select customer, date_trunc('month', day) as p from orders where sales > 0 group by 1, 2), b as (select p, lag(p) over (partition by customer order by p) as last from a)
  select sum(n) as n, sum(r) as r, sum(b) as b from (select p, count(*) filter (last is null) as n, count(*) filter (last >= p - interval 6 month) as r, count(*) filter (last < p - interval 6 month) as b from b group by p)`);
await measure("wait for the second", `with r as (select customer, day, row_number() over (partition by customer order by day) as k from (select distinct customer, day from orders where sales > 0))
  select count(*) as n, sum(w) as w from (select a.customer, datediff('month', a.day, b.day) as w from r a left join r b on a.customer = b.customer and b.k = 2 where a.k = 1)`);
const year = (y) => `select customer, sum(sales) as s, rank() over (order by sum(sales) desc) as k, count(*) over () as n from orders where day between date '${y}-01-01' and date '${y}-12-30'
  group by customer having count(*) filter (sales > 0) > 0`;
await measure("scores, tiers, moves", `with m as (select customer, count(*) filter (sales > 0) as p, max(day) filter (sales > 0) as l, sum(sales) as s from orders group by customer having count(*) filter (sales > 0) > 0),
  scored as (select 1 + (5 * (rank() over (order by l) - 1)) // count(*) over () as r, 1 + (5 * (rank() over (order by p) - 1)) // count(*) over () as f, 1 + (5 * (rank() over (order by s) - 1)) // count(*) over () as v,
    (rank() over (order by s desc) - 1) * 100 < 10 * count(*) over () as top from m),
  a as (${year(2024)}), b as (${year(2025)}),
  moved as (select (a.k - 1) * 100 < 10 * a.n as was, (b.k - 1) * 100 < 10 * b.n as still from a left join b on a.customer = b.customer)
  select sum(r) as r, sum(f) as f, sum(v) as v, count(*) filter (top) as top, (select count(*) filter (was and still) from moved) as stayed, (select count(*) filter (was and still is null) from moved) as gone from scored`);
await db.run(`create table lines as select customer, order_id, day, sku, cast(round(cast(amount as decimal(18, 2)) * 100) as bigint) as cents from (select distinct * from ${csv})`);
const some = (from, to) => `sku in (${Array.from({ length: to - from + 1 }, (_, i) => `'S${String(from + i).padStart(4, "0")}'`)})`;
await measure("audience", `with o as (select customer, order_id, sum(cents) filter (day >= date '2024-12-31' and ${some(1, 300)}) as a, sum(cents) filter (${some(301, 900)}) as b from lines group by 1, 2),
  f as (select customer, count(*) filter (a > 0) as a, sum(b) as b from o group by 1)
  select count(*) as n, sum(p.sales) as s from people p join f using (customer) where p.sales >= 20000 and p.purchases >= 2 and p.last >= date '2024-07-01' and f.a >= 1 and f.b >= 5000`);
console.log(JSON.stringify({ seconds, answers }));
