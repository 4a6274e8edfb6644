export interface Berth {
  id: string;
  quay: string;
  lengthMetres: number;
}

export interface Booking {
  berth: string;
  vessel: string;
  from: Date;
  until: Date;
}

/** Keeps berths and bookings in memory. */
export class Store {
  private berths = new Map<string, Berth>();
  private bookings: Booking[] = [];

  find(id: string): Berth | undefined {
    return this.berths.get(id);
  }

  all(): Berth[] {
    return [...this.berths.values()];
  }

  bookingsOf(berth: string): Booking[] {
    return this.bookings.filter((b) => b.berth === berth);
  }

  add(booking: Booking): void {
    this.bookings.push(booking);
  }
}

export const store = new Store();
