// Click a heading to sort a table by it; once more for the other direction.
for (const table of document.querySelectorAll("table")) {
  const heads = [...table.tHead.rows[0].cells];
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
