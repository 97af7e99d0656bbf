"use strict";
(() => {
  const all = (selector, root = document) => [...root.querySelectorAll(selector)];
  const search = document.getElementById("search"), severity = document.getElementById("severity");
  const said = document.getElementById("said");

  // Long tables show their first rows; a button shows the others.
  const first = 15;
  for (const table of all("table[data-paged]")) {
    const rows = all("tbody tr", table);
    if (rows.length <= first + 5) continue;
    const button = document.createElement("button");
    const set = open => {
      rows.slice(first).forEach(row => { row.hidden = !open; });
      button.textContent = open ? "Show the first " + first + " rows" : "Show all " + rows.length + " rows";
      button.setAttribute("aria-expanded", open);
    };
    button.type = "button";
    button.addEventListener("click", () => set(button.getAttribute("aria-expanded") !== "true"));
    table.parentElement.after(button);
    set(false);
  }

  // Findings are filtered by how bad they are, and by words.
  const filter = () => {
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0;
    for (const group of all("details.group")) {
      const head = group.querySelector("summary").textContent.toLowerCase();
      const wanted = !severity.value || group.dataset.severity === severity.value;
      let some = 0;
      for (const place of all(".places > li", group)) {
        const text = head + " " + place.textContent.toLowerCase();
        place.hidden = !(wanted && words.every(word => text.includes(word)));
        if (!place.hidden) some++;
      }
      group.hidden = some === 0;
      if (search.value.trim().length > 2 && some > 0) {
        if (!group.open) group.dataset.bySearch = group.open = true;
      } else if (group.dataset.bySearch) {
        delete group.dataset.bySearch;
        group.open = false;
      }
      shown += some;
    }
    said.textContent = shown + (shown === 1 ? " finding is shown" : " findings are shown");
  };
  if (search) {
    search.addEventListener("input", filter);
    severity.addEventListener("input", filter);
    filter();
    document.addEventListener("keydown", event => {
      const typing = event.target.matches("input,select,textarea");
      if (event.key === "/" && !typing) {
        event.preventDefault();
        search.focus();
      } else if (event.key === "Escape" && event.target === search) {
        search.value = "";
        filter();
      }
    });
  }

  // What mends a finding is copied.
  for (const button of all("button[data-copy]")) {
    button.hidden = false;
    button.addEventListener("click", async () => {
      const code = button.previousElementSibling, selection = getSelection();
      selection.removeAllRanges();
      const range = document.createRange();
      range.selectNodeContents(code);
      selection.addRange(range);
      let copied = false;
      try {
        await navigator.clipboard.writeText(code.textContent);
        copied = true;
      } catch { copied = document.execCommand("copy"); }
      button.textContent = copied ? "Copied" : "Press Ctrl+C";
      setTimeout(() => { button.textContent = "Copy"; }, 2000);
    });
  }

  addEventListener("beforeprint", () => all("details").forEach(d => { d.open = true; }));
  addEventListener("hashchange", () => {
    const target = document.getElementById(decodeURIComponent(location.hash.slice(1)));
    if (target && target.matches("details")) target.open = true;
  });
})();
