// Folds open for a link, tables sort by a click, marks open what is to be minded.
"use strict";

const foldsAround = node => {
  const found = [];
  for (let at = node; at; at = at.parentElement) if (at.matches("details")) found.push(at);
  return found;
};

const openTarget = () => {
  const target = document.getElementById(decodeURIComponent(location.hash.slice(1)));
  if (!target) return;
  foldsAround(target).forEach(fold => { fold.open = true; });
  target.scrollIntoView();
};
addEventListener("hashchange", openTarget);
document.addEventListener("click", event => {
  const link = event.target.closest("a[href^='#']:not(.mark)");
  if (link && link.hash === location.hash) openTarget();
});
openTarget();

// Click a heading to sort a table by it; once more for the other direction.
for (const table of document.querySelectorAll("table")) {
  const heads = table.tHead ? [...table.tHead.rows[0].cells] : [];
  heads.forEach((head, column) => head.addEventListener("click", () => {
    const up = head.getAttribute("aria-sort") === "descending";
    heads.forEach(other => other.removeAttribute("aria-sort"));
    head.setAttribute("aria-sort", up ? "ascending" : "descending");
    const key = row => { const cell = row.cells[column]; return cell.dataset.sort ?? cell.textContent; };
    const compare = (a, b) => {
      const x = Number(key(a)), y = Number(key(b));
      return Number.isNaN(x) || Number.isNaN(y) ? key(a).localeCompare(key(b)) : x - y;
    };
    const rows = [...table.tBodies[0].rows].sort((a, b) => (up ? compare(a, b) : compare(b, a)));
    table.tBodies[0].append(...rows);
  }));
}

// A mark shows its remark below the line it stands in; once more closes it.
for (const mark of document.querySelectorAll(".mark")) {
  mark.setAttribute("role", "button");
  mark.setAttribute("aria-expanded", "false");
  mark.addEventListener("click", event => {
    event.preventDefault();
    if (mark.told) {
      mark.told.remove();
      mark.told = null;
    } else {
      mark.told = document.createElement("span");
      mark.told.className = "minded";
      mark.told.setAttribute("role", "note");
      mark.told.textContent = document.querySelector(mark.hash).textContent;
      mark.parentElement.append(mark.told);
    }
    mark.setAttribute("aria-expanded", String(Boolean(mark.told)));
  });
  mark.addEventListener("keydown", event => { if (event.key === " ") { event.preventDefault(); mark.click(); } });
}

// On request everything is printed, as if every question had been asked.
document.getElementById("print-all")?.addEventListener("click", () => {
  const closed = [...document.querySelectorAll("main details:not([open])")];
  closed.forEach(fold => { fold.open = true; });
  addEventListener("afterprint", () => closed.forEach(fold => { fold.open = false; }), { once: true });
  print();
});
