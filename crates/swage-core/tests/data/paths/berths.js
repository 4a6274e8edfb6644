function a() { lock.lock(); /* open */ if (x) return; lock.unlock(); }
const b = () => { lock.lock(); try { if (x) return; } finally { lock.unlock(); } };
function c() { lock.lock(); switch (x) { case 1: lock.unlock(); return; default: lock.unlock(); } }
function d() { lock.lock(); /* open */ switch (x) { case 1: return; default: lock.unlock(); } }
function e() { lock.lock(); if (lock) return; lock.unlock(); }
function f() { lock.lock(); /* open */ for (const a of b) { if (a) { return a; } } lock.unlock(); }
function g() { lock.lock(); outer: for (;;) { break outer; } }
lock.lock();
