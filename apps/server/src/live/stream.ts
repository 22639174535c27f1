import { liveEventSchema } from '@moorage/contract/live';
import type { Request, Response } from 'express';
import type { Anchor } from './anchor';
import { liveChannel } from './announce';

/** Server-sent events: every live change, and a comment now and then so that a dead connection is noticed. */
export class LiveStream {
  private readonly open = new Set<Response>();

  constructor(anchor: Anchor) {
    anchor.on('notify', (channel: string, payload: string) => {
      if (channel !== liveChannel) return;
      const event = liveEventSchema.safeParse(JSON.parse(payload));
      if (event.success) this.send(`data: ${JSON.stringify(event.data)}\n\n`);
    });
    // after a gap nobody knows what was missed: pages fetch everything again
    anchor.on('connected', () => this.send('event: gap\ndata: {}\n\n'));
  }

  private send(text: string): void {
    for (const response of this.open) response.write(text);
  }

  handle(request: Request, response: Response): void {
    response.writeHead(200, {
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-store',
      'X-Accel-Buffering': 'no',
    });
    response.write('retry: 1000\n\n');
    this.open.add(response);
    const beat = setInterval(() => response.write(': here\n\n'), 20_000);
    request.on('close', () => {
      clearInterval(beat);
      this.open.delete(response);
    });
  }

  close(): void {
    for (const response of this.open) response.end();
    this.open.clear();
  }
}
