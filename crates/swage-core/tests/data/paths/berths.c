void a(void) { lock(m); /* open */ if (x) return; unlock(m); }
void b(void) { lock(m); if (x) goto out; go(); out: unlock(m); }
void c(void) { lock(m); /* open */ switch (x) { case 1: return; } unlock(m); }
void d(void) { lock(m); switch (x) { case 1: unlock(m); break; default: unlock(m); } }
void e(void) { lock(m); switch (x) { case 1: go(); case 2: unlock(m); break; default: unlock(m); } }
void f(void) { lock(m); /* open */ switch (x) { case 1: case 2: unlock(m); break; case 3: break; default: unlock(m); } }
