// What moves by hand: each control reads its table of numbers and shows the counts, the money and
// the call that gives the same.
{
// Texts in the reader's language, where the page has them.
const texts = JSON.parse(document.getElementById("texts")?.textContent || "{}");
const say = (text, ...values) => values.reduce((told, value) => told.replace("%s", () => value), texts[text] ?? text);
const spaced = (x, digits = 0) => {
  const [whole, part] = Math.abs(x).toFixed(digits).split(".");
  const text = whole.replace(/\B(?=(\d{3})+$)/g, "\u202f") + (part ? (document.body.dataset.mark || ".") + part : "");
  return (x < 0 && Number(x.toFixed(digits)) !== 0 ? "\u2212" : "") + text;
};
const percent = x => (Number.isFinite(x) ? spaced(100 * x) + "\u00a0%" : "-");
const element = (name, given = {}, ...children) => {
  const made = Object.assign(document.createElement(name), given);
  made.append(...children);
  return made;
};
const drawn = (name, given, ...children) => {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const key in given) made.setAttribute(key, given[key]);
  made.append(...children);
  return made;
};

// A knob: a slider with what it says; calls back when it moves.
const knob = (label, from, to, value, words, moved) => {
  const input = element("input", { type: "range", min: from, max: to, step: 1 });
  input.value = value;
  const said = element("output", { textContent: words(Number(input.value)) });
  input.addEventListener("input", () => { said.textContent = words(Number(input.value)); moved(); });
  const box = element("label", {}, element("span", {}, label + " ", said), input);
  return { box, input, get value() { return Number(input.value); } };
};

const rowsOf = (heads, rows) => element("table", {},
  element("thead", {}, element("tr", {}, ...heads.map((text, i) => element("th", { textContent: text, className: i ? "number" : "words" })))),
  element("tbody", {}, ...rows.map(row => element("tr", {}, ...row.map((text, i) => element("td", { textContent: text, className: i ? "number" : "words" }))))));

const place = (box, title, knobs, note) => {
  const shown = element("div", { className: "shown" });
  const call = element("code");
  box.append(element("strong", { textContent: title }), element("div", { className: "knobs" }, ...knobs.map(one => one.box)), shown, call,
    element("p", { className: "left-out", textContent: note }));
  return { show: (text, ...children) => { call.textContent = text; shown.replaceChildren(...children); } };
};

const controls = {
  map(box, d) {
    const money = x => spaced(x / d.minor) + "\u00a0" + d.currency;
    const update = () => {
      const often = knobs[0].value, cut = knobs[1].value - 1;
      const regions = [say("often & large"), say("often & small"), say("seldom & large"), say("seldom & small")];
      const sums = regions.map(() => [0, 0]);
      let n = 0, sales = 0;
      d.customers.forEach((row, i) => row.forEach((count, j) => {
        const at = (i + 1 >= often ? 0 : 2) + (j > cut ? 0 : 1);
        sums[at][0] += count;
        sums[at][1] += d.money[i][j];
        n += count;
        sales += d.money[i][j];
      }));
      const heads = [say("region"), say("customers"), say("share of customers"), say("sales"), say("share of sales")];
      const rows = regions.map((name, k) => [name, spaced(sums[k][0]), percent(sums[k][0] / n), money(sums[k][1]), percent(sums[k][1] / sales)]);
      out.show(`order_map(ledger, cut = c(purchases = ${often}, mean_sales = ${d.steps[cut]})${d.during})`, picture(often, cut), rowsOf(heads, rows));
    };
    const wide = 900, tall = 230, left = 60;
    const cellWide = (wide - left) / d.most, cellTall = (tall - 24) / (d.steps.length + 1);
    const top = Math.max(...d.customers.flat());
    const cells = d.customers.flatMap((row, i) => row.map((count, j) => (count ? drawn("rect", {
      x: left + i * cellWide, y: tall - 24 - (j + 1) * cellTall, width: cellWide - 0.6, height: cellTall, fill: "var(--petrol)",
      opacity: (0.12 + 0.88 * Math.log1p(count) / Math.log1p(top)).toFixed(2) }) : ""))).filter(Boolean);
    const picture = (often, cut) => {
      const x = left + (often - 1) * cellWide, y = tall - 24 - (cut + 1) * cellTall;
      const words = { fill: "var(--ink)", "font-size": 12 };
      return drawn("svg", { viewBox: `0 0 ${wide} ${tall}`, role: "img", "aria-label": say("Customers by purchases and mean order sales, with the cut-offs") },
        ...cells,
        drawn("line", { x1: x, x2: x, y1: 0, y2: tall - 24, stroke: "var(--ink)", "stroke-dasharray": "5 4" }),
        drawn("line", { x1: left, x2: wide, y1: y, y2: y, stroke: "var(--ink)", "stroke-dasharray": "5 4" }),
        drawn("text", { ...words, x: left - 6, y: Math.max(12, Math.min(tall - 30, y + 4)), "text-anchor": "end" }, spaced(d.steps[cut], d.steps[cut] % 1 ? d.decimals : 0)),
        ...d.customers.map((row, i) => i + 1).filter(i => i === 1 || i % 5 === 0).map(i => drawn("text",
          { ...words, x: left + (i - 0.5) * cellWide, y: tall - 8, "text-anchor": "middle" }, i + (i === d.most ? "+" : ""))));
    };
    const knobs = [
      knob(say("often from"), 1, d.most, d.cut[0], v => v + " " + (v === 1 ? say("purchase") : say("purchases")), () => update()),
      knob(say("large from"), 1, d.steps.length, d.cut[1], v => spaced(d.steps[v - 1], d.steps[v - 1] % 1 ? d.decimals : 0) + "\u00a0" + d.currency, () => update())];
    const out = place(box, say("Move the cut-offs"), knobs, say("Exact at each stop of the knobs. Up: mean order sales; to the right: purchases; darker: more customers."));
    update();
  },

  tiers(box, d) {
    const k = d.names.length;
    const money = x => spaced(x / d.minor) + "\u00a0" + d.currency;
    const shares = () => {
      const given = knobs.map(one => one.value);
      return [...given, 100 - given.reduce((a, b) => a + b, 0)];
    };
    const update = moved => {
      // the last tier takes what is left; nobody is left out
      let over = 1 - shares()[k - 1];
      for (let i = knobs.length - 1; i >= 0 && over > 0; i--) {
        if (knobs[i] === moved) continue;
        const less = Math.min(over, knobs[i].value - 1);
        if (less > 0) { knobs[i].input.value = knobs[i].value - less; knobs[i].box.querySelector("output").textContent = knobs[i].value + " %"; over -= less; }
      }
      if (over > 0) { moved.input.value = moved.value - over; moved.box.querySelector("output").textContent = moved.value + " %"; }
      const given = shares();
      let before = 0;
      const rows = given.map((share, i) => {
        const upto = Math.min(100, before + share), n = d.upto[upto] - d.upto[before], m = d.money[upto] - d.money[before];
        const edge = upto >= 1 && upto <= 99 ? d.edge[upto - 1] : null;
        before = upto;
        return [d.names[i], share + " %", spaced(n), percent(n / d.customers), money(m), percent(m / d.sales),
          edge === null || i === k - 1 ? "-" : d.measure === "purchases" ? spaced(edge) : spaced(edge, d.decimals) + "\u00a0" + d.currency];
      });
      const named = d.names.map((name, i) => `${/^[A-Za-z.][\w.]*$/.test(name) ? name : "`" + name.replace(/[`\\]/g, "\\$&") + "`"} = ${given[i]}`);
      const measure = d.measure === "sales" ? "" : `, measure = "${d.measure}"`;
      out.show(`assign_tiers(ledger, shares = c(${named.join(", ")})${measure}${d.during})`,
        rowsOf([say("tier"), say("share asked"), say("customers"), say("share of customers"), say("sales"), say("share of sales"), say("from")], rows));
    };
    const knobs = d.names.slice(0, -1).map((name, i) => {
      const one = knob(name, 1, 99 - (k - 2), d.shares[i], v => v + " %", () => update(one));
      return one;
    });
    const out = place(box, say("Move the shares"), knobs, say("In whole percent, exact; the last tier takes the rest. Tied customers share the better tier."));
    update(knobs[0]);
  },

  payback(box, d) {
    const reached = (i, rate) => rate * d.money[i] / 100 / d.size[i] / d.minor;
    const update = () => {
      const cost = knobs[0].value, rate = knobs[1].value;
      // whole numbers on both sides: exact
      const at = d.age.findIndex((age, i) => rate * d.money[i] >= cost * d.minor * 100 * d.size[i]);
      const year = { day: 365, week: 52, month: 12, quarter: 4, year: 1 }[d.clock];
      const by = d.age.indexOf(Math.min(year, d.age[d.age.length - 1]));
      const age = at < 0 ? say("not by age %s %ss", d.age[d.age.length - 1], d.clock) : say("at age %s %s", d.age[at], d.clock + (d.age[at] === 1 ? "" : "s"));
      const told = element("p", {}, say("Paid back") + " ", element("b", { textContent: age, className: "paid" }),
        say(". By age %s a customer has brought", d.age[by]) + " ", element("b", { textContent: spaced(reached(by, rate), d.decimals) + "\u00a0" + d.currency, className: "brought" }),
        " " + say("of margin, %s times the cost.", cost > 0 ? spaced(reached(by, rate) / cost, 2) : "-"));
      out.show(`cohort_payback(cohort_grid(ledger, "${d.clock}", margin = ${rate / 100}), cost = ${cost}, together = TRUE)`, told, picture(cost, rate, at));
    };
    const picture = (cost, rate, at) => {
      const wide = 900, tall = 200, left = 50, last = d.age[d.age.length - 1];
      const top = Math.max(cost, ...d.age.map((age, i) => reached(i, rate))) * 1.08 || 1;
      const x = age => left + (wide - left - 20) * age / last, y = v => tall - 22 - (tall - 34) * v / top;
      const words = { fill: "var(--ink)", "font-size": 12 };
      return drawn("svg", { viewBox: `0 0 ${wide} ${tall}`, role: "img", "aria-label": say("Cumulative margin per acquired customer against the cost, by age") },
        drawn("polyline", { points: d.age.map((age, i) => x(age).toFixed(1) + "," + y(reached(i, rate)).toFixed(1)).join(" "), fill: "none", stroke: "var(--moss)", "stroke-width": 3 }),
        drawn("line", { x1: left, x2: wide - 20, y1: y(cost), y2: y(cost), stroke: "var(--brick)", "stroke-width": 2, "stroke-dasharray": "7 5" }),
        drawn("text", { ...words, x: left - 6, y: y(cost) + 4, "text-anchor": "end" }, spaced(cost)),
        ...d.age.filter(age => age % Math.ceil(last / 12) === 0).map(age => drawn("text", { ...words, x: x(age), y: tall - 6, "text-anchor": "middle" }, age)),
        ...(at < 0 ? [] : [drawn("circle", { cx: x(d.age[at]), cy: y(reached(at, rate)), r: 6, fill: "var(--ink)" })]));
    };
    const knobs = [
      knob(say("a customer costs"), 0, d.most, d.cost, v => spaced(v) + "\u00a0" + d.currency, () => update()),
      knob(say("margin"), 1, 100, d.rate, v => say("%s of sales", v + " %"), () => update())];
    const out = place(box, say("Move cost and margin"), knobs, say("One cost and one margin for everybody, all cohorts together, by age in %ss; exact at each stop. Cohorts that may hold older customers are left out.", d.clock));
    update();
  },

  new(box, d) {
    const words = i => (d.steps[i] === null ? say("endless") : spaced(d.steps[i]) + " " + (d.steps[i] === 1 ? d.unit.replace(/s$/, "") : d.unit));
    const update = () => {
      const i = knobs[0].value, returning = d.returning[i];
      const lost = returning.map((n, p) => d.active[p] - d.fresh[p] - n);
      const last = d.period.length - 1;
      const rows = d.period.map((period, p) => [period, spaced(d.active[p]), spaced(d.fresh[p]), spaced(returning[p]), spaced(lost[p]), percent(returning[p] / d.active[p])]);
      const back = d.steps[i] === null ? "" : `, lookback = ${d.steps[i]}${d.days ? ", unit = \"days\"" : ""}`;
      const told = element("p", {}, say("In %s %s customers came back after longer than that, %s within it.", d.period[last], spaced(lost[last]), spaced(returning[last])));
      out.show(`new_returning(ledger, "${d.clock}"${back})`, told, picture(returning, lost),
        rowsOf([d.clock, say("active"), say("new"), say("returning"), say("reactivated"), say("share returning")], rows.slice(-6)));
    };
    const picture = (returning, lost) => {
      const wide = 900, tall = 170, step = wide / d.period.length, top = Math.max(...d.active);
      const bar = (p, from, n, tone) => drawn("rect", { x: p * step, width: step * 0.84, fill: `var(--${tone})`,
        y: (tall - 20) * (1 - (from + n) / top), height: (tall - 20) * n / top });
      return drawn("svg", { viewBox: `0 0 ${wide} ${tall}`, role: "img", "aria-label": say("New, returning and reactivated customers by period") },
        ...d.period.flatMap((period, p) => [bar(p, 0, d.fresh[p], "ochre"), bar(p, d.fresh[p], returning[p], "petrol"), bar(p, d.fresh[p] + returning[p], lost[p], "mauve")]),
        drawn("text", { x: 0, y: tall - 4, "font-size": 12, fill: "var(--ink)" }, d.period[0]),
        drawn("text", { x: wide, y: tall - 4, "font-size": 12, fill: "var(--ink)", "text-anchor": "end" }, d.period[d.period.length - 1]));
    };
    const knobs = [knob(say("returning: bought within"), 0, d.steps.length - 1, d.now, words, () => update())];
    const out = place(box, say("Move the look-back"), knobs, say("Ochre: new; petrol: returning; mauve: reactivated. Whole %ss only; exact at each stop.", d.clock));
    update();
  },
};

for (const box of document.querySelectorAll(".move")) {
  const numbers = box.querySelector("script");
  controls[box.dataset.kind](box, JSON.parse(numbers.textContent));
}
}
