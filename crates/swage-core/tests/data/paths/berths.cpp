void a() { lock(m); /* open */ if (x) return; unlock(m); }
void b() { lock(m); /* open */ for (auto &a : b) { if (a) return; } unlock(m); }
void c() { lock(m); auto d = [&] { unlock(m); }; d(); }
void d() { lock(m); /* open */ try { go(); } catch (const E &e) { return; } unlock(m); }
