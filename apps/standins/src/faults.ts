import express, { type Express, type RequestHandler } from 'express';

/** A fault put on the calls that match; without a method or path it is put on every call. */
export interface Fault {
  readonly kind: 'latency' | 'refuse' | 'lose-answer' | 'keep-answer' | 'hang';
  readonly method?: string;
  /** A regular expression on the path. */
  readonly path?: string;
  /** How many calls it meets before it is gone; unset means until healed. */
  readonly times?: number;
  /** Calls that it lets by before it meets the first. */
  readonly skip?: number;
  readonly latencyMs?: number;
  readonly status?: number;
}

interface Active extends Fault {
  left: number;
  toSkip: number;
}

/** Faults that tests and demonstrations put on a stand-in through its control port. */
export class Faults {
  private active: Active[] = [];
  /** Calls seen, by method and path, so that a test can ask whether something was repeated. */
  readonly calls: { method: string; path: string }[] = [];

  add(fault: Fault): void {
    this.active.push({ ...fault, left: fault.times ?? Infinity, toSkip: fault.skip ?? 0 });
  }

  heal(): void {
    this.active = [];
  }

  private take(kind: Fault['kind'], method: string, path: string): Active | undefined {
    const found = this.active.find(
      (f) =>
        f.kind === kind &&
        f.left > 0 &&
        (!f.method || f.method === method) &&
        (!f.path || new RegExp(f.path).test(path)),
    );
    if (!found) return undefined;
    if (found.toSkip > 0) {
      found.toSkip -= 1;
      return undefined;
    }
    found.left -= 1;
    return found;
  }

  /** `refusal` makes the body of an error in the form of the stand-in's own standard. */
  middleware(refusal: (status: number) => unknown): RequestHandler {
    return (request, response, next) => {
      const { method, path } = request;
      if (this.calls.length < 100_000) this.calls.push({ method, path });
      if (this.take('hang', method, path)) return;
      const refused = this.take('refuse', method, path);
      if (refused) {
        const status = refused.status ?? 503;
        response.status(status).json(refusal(status));
        return;
      }
      if (this.take('keep-answer', method, path)) {
        // the work is done, and its answer never comes
        const keep = () => response;
        response.json = keep;
        response.send = keep;
        response.end = keep as typeof response.end;
      }
      if (this.take('lose-answer', method, path)) {
        // the work is done, and the connection dies before the answer is out
        const sink = () => {
          response.socket?.destroy();
          return response;
        };
        response.json = sink;
        response.send = sink;
        response.end = sink as typeof response.end;
      }
      const slow = this.take('latency', method, path);
      if (slow) setTimeout(next, slow.latencyMs ?? 1000);
      else next();
    };
  }

  /** The control port: `POST /faults`, `POST /heal`, `GET /calls`, and what the stand-in adds. */
  control(extend: (app: Express) => void): Express {
    const app = express();
    app.use(express.json());
    app.post('/faults', (request, response) => {
      this.add(request.body as Fault);
      response.status(204).end();
    });
    app.post('/heal', (_request, response) => {
      this.heal();
      response.status(204).end();
    });
    app.get('/calls', (_request, response) => {
      response.json(this.calls);
    });
    extend(app);
    return app;
  }
}
