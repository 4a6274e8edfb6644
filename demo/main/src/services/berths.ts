import { Berth, Booking, store } from "../store";

/** Books berths; the only way to the store. */
export class BerthService {
  free(quay: string, from: Date, until: Date): Berth[] {
    const fits = (b: Berth) => b.quay === quay && this.isFree(b, from, until);
    return store.all().filter(fits);
  }

  book(booking: Booking): boolean {
    const berth = store.find(booking.berth);
    if (berth === undefined || !this.isFree(berth, booking.from, booking.until)) {
      return false;
    }
    store.add(booking);
    return true;
  }

  private isFree(berth: Berth, from: Date, until: Date): boolean {
    return store.bookingsOf(berth.id).every((b) => b.until <= from || b.from >= until);
  }
}
