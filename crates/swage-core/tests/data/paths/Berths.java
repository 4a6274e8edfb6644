class L {
  void a() { lock.lock(); /* open */ if (x) return; lock.unlock(); }
  void b() { lock.lock(); try { if (x) return; } finally { lock.unlock(); } }
  void c() { lock.lock(); switch (x) { case 1: lock.unlock(); return; default: lock.unlock(); } }
  void d() { lock.lock(); /* open */ switch (x) { case 1: return; default: lock.unlock(); } }
  void e() { lock.lock(); run(() -> lock.unlock()); }
  void f() { lock.lock(); do { if (y) break; } while (true); lock.unlock(); }
  void g() { lock.lock(); /* open */ for (;;) { if (y) return; } }
  void h() { lock.lock(); synchronized (this) { lock.unlock(); } }
  void i() { lock.lock(); /* open */ if (a) { } else throw new E(); lock.unlock(); }
}
