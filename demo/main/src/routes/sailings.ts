import { SailingService } from "../services/sailings";
import { store } from "../store";

/** Answers requests about sailings. */
export class SailingRoutes {
  constructor(private service: SailingService) {}

  today(port: string) {
    return this.service.today(port);
  }

  berthOf(sailing: string) {
    return store.find(sailing)?.quay ?? "not yet known";
  }
}
