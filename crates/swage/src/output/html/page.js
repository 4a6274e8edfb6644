"use strict";
(() => {
  const all = (query) => Array.from(document.querySelectorAll(query));
  const one = (query) => document.querySelector(query);
  const files = all("details.file");

  // Filters by severity, rule and path.
  const filter = () => {
    const severities = all("#tools input[data-severity]").filter((box) => box.checked).map((box) => box.dataset.severity);
    const [rule, path] = [one("#rule").value, one("#path").value.toLowerCase()];
    const wants = (node) => severities.some((s) => node.classList.contains(s)) && (!rule || node.dataset.rule === rule);
    all(".f, .item[data-rule]").forEach((node) => { node.hidden = !wants(node); });
    files.forEach((file) => { file.hidden = path !== "" && !file.dataset.path.toLowerCase().includes(path); });
    all(".item[data-path]").forEach((node) => { if (path !== "" && !node.dataset.path.toLowerCase().includes(path)) node.hidden = true; });
  };
  all("#tools input[data-severity], #rule, #path").forEach((control) => control.addEventListener("input", filter));
})();
