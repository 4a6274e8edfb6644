class Berths {
  void A() { gate.Enter(); /* open */ if (x) return; gate.Exit(); }
  void B() { gate.Enter(); try { if (x) return; } finally { gate.Exit(); } }
  void C() { gate.Enter(); switch (x) { case 1: gate.Exit(); return; default: gate.Exit(); break; } }
  void D() { gate.Enter(); /* open */ switch (x) { case 1: return; default: break; } gate.Exit(); }
  void E() { gate.Enter(); /* open */ foreach (var a in b) { if (a) throw new E(); } gate.Exit(); }
  void F() { gate.Enter(); using (var a = gate.Exit()) { } }
}
