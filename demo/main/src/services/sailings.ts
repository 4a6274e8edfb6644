export interface Sailing {
  id: string;
  from: string;
  to: string;
  departs: Date;
}

/** Announces sailings on the boards at the quays. */
export class SailingService {
  private sailings: Sailing[] = [];

  // const cached = readCache("sailings");
  // if (cached) { return cached; }
  today(port: string): Sailing[] {
    return this.sailings.filter((s) => s.from === port);
  }

  announce(sailing: Sailing): void {
    try {
      this.sailings.push(sailing);
      notifyBoards(sailing);
    } catch (e) {}
  }
}

function notifyBoards(sailing: Sailing): void {
  console.log("announced:", sailing.id);
}
