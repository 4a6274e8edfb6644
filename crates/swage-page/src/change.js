"use strict";
(() => {
  const all = (query, within = document) => Array.from(within.querySelectorAll(query));
  const one = (query) => document.querySelector(query);
  document.body.classList.add("scripted");
  const files = all("details.file");

  // Read marks are kept by the browser, for this page's title and the digest of each file's lines, unless the page keeps them itself.
  const name = (file) => {
    let hash = 5381;
    const text = document.title + file.dataset.path + file.textContent.length + file.textContent.slice(0, 4000);
    for (let n = 0; n < text.length; n++) hash = ((hash * 33) ^ text.charCodeAt(n)) >>> 0;
    return "swage-read-" + hash.toString(16);
  };
  const store = { get: (key) => { try { return localStorage.getItem(key); } catch { return null; } }, set: (key, value) => { try { value ? localStorage.setItem(key, value) : localStorage.removeItem(key); } catch { /* a browser may keep nothing */ } } };
  const left = () => { one("#left").textContent = files.filter((file) => !file.classList.contains("read")).length + " of " + files.length + " files to read"; };
  const mark = (file, read) => { file.classList.toggle("read", read); file.querySelector(".read-mark [type=checkbox]").checked = read; if (read) file.open = false; left(); };
  files.forEach((file) => {
    const box = file.querySelector(".read-mark [type=checkbox]");
    if (!box) return;
    const key = name(file);
    box.addEventListener("change", (event) => { store.set(key, event.target.checked ? "1" : ""); mark(file, event.target.checked); });
    if (store.get(key)) mark(file, true);
  });
  left();

  // Two columns are made of the lines of one.
  const pairs = (file) => {
    const box = file.querySelector(".lines");
    if (box.querySelector(".pair")) return;
    const place = (nodes, before) => {
      const [old, fresh] = [nodes.filter((n) => n.classList.contains("r")), nodes.filter((n) => n.classList.contains("a"))];
      for (let n = 0; n < Math.max(old.length, fresh.length); n++) before.before(pair(old[n], fresh[n]));
    };
    const half = (line, which) => {
      const copy = document.createElement("div");
      if (line) { copy.className = line.className; copy.append(line.children[which].cloneNode(true), line.querySelector("code").cloneNode(true)); }
      else copy.className = "l";
      return copy;
    };
    const pair = (old, fresh) => { const row = document.createElement("div"); row.className = "pair"; row.append(half(old, 0), half(fresh, 1)); return row; };
    let run = [];
    const end = document.createElement("div");
    box.append(end);
    Array.from(box.children).forEach((node) => {
      if (node.classList.contains("a") || node.classList.contains("r")) { run.push(node); return; }
      place(run, node); run = [];
      if (node.classList.contains("l")) node.before(pair(node, node));
    });
    end.remove();
  };
  const columns = one("#columns");
  const arrange = () => files.forEach((file) => { if (columns.checked && file.open) pairs(file); file.querySelector(".lines").classList.toggle("two", columns.checked); if (!columns.checked) all(".pair", file).forEach((row) => row.remove()); });
  columns.addEventListener("change", arrange);
  files.forEach((file) => file.addEventListener("toggle", () => { if (columns.checked && file.open) pairs(file); }));

  // What a link leads to is opened first.
  const reveal = () => { const target = location.hash.length > 1 && document.getElementById(location.hash.slice(1)); const file = target && target.closest("details.file"); if (file) { file.open = true; target.scrollIntoView({ block: "center" }); } };
  addEventListener("hashchange", reveal);
  reveal();

  // Keys.
  const step = (nodes, by) => {
    const seen = nodes.filter((node) => !node.hidden);
    const top = 60;
    const at = by > 0 ? seen.find((n) => n.getBoundingClientRect().top > top + 4) : seen.reverse().find((n) => n.getBoundingClientRect().top < top - 4);
    if (at) scrollTo({ top: scrollY + at.getBoundingClientRect().top - top });
  };
  addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName)) return;
    const near = () => files.filter((f) => !f.hidden && f.getBoundingClientRect().bottom > 70)[0];
    const keys = {
      n: () => step(all("main .lines .f"), 1), p: () => step(all("main .lines .f"), -1),
      "]": () => step(files, 1), "[": () => step(files, -1),
      c: () => { columns.checked = !columns.checked; arrange(); },
      m: () => { const file = near(); if (file) file.querySelector(".read-mark button, .read-mark [type=checkbox]").click(); },
      "?": () => { const keys = one("#keys-box"); keys.open = !keys.open; },
    };
    if (keys[event.key]) { event.preventDefault(); keys[event.key](); }
  });
})();
