import { BerthService } from "../services/berths";

interface Request {
  query: Record<string, string>;
  body: Record<string, string>;
}

/** Answers requests about berths. */
export class BerthRoutes {
  constructor(private service: BerthService) {}

  free(request: Request) {
    const { quay, from, until } = request.query;
    return this.service.free(quay, new Date(from), new Date(until));
  }

  book(request: Request) {
    const { berth, vessel, from, until } = request.body;
    return this.service.book({ berth, vessel, from: new Date(from), until: new Date(until) });
  }
}
