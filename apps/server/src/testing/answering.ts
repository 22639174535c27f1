import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import type { AddressInfo } from 'node:net';

const open: Server[] = [];

export type Answer = (request: IncomingMessage, response: ServerResponse) => void;
/** The address of something that answers as it is told to. */
export async function answering(answer: Answer, tls?: { key: Buffer; cert: Buffer }): Promise<string> {
  const made = (tls ? createTlsServer(tls, answer) : createServer(answer)) as Server;
  open.push(made);
  await new Promise<void>((resolve) => made.listen(0, '127.0.0.1', resolve));
  return `${tls ? 'https' : 'http'}://127.0.0.1:${(made.address() as AddressInfo).port}`;
}
export const json =
  (body: unknown): Answer =>
  (_request, response) =>
    void response.setHeader('Content-Type', 'application/json').end(JSON.stringify(body));
/** Another address of the same backend, which may change what it is asked and what it says. */
export const passingOn =
  (
    url: () => string,
    change: { asked(path: string): string; said(text: string): string } = { asked: (p) => p, said: (t) => t },
  ): Answer =>
  (request, response) =>
    void (async () => {
      const body: Buffer[] = [];
      for await (const chunk of request) body.push(chunk as Buffer);
      const inner = await fetch(url() + change.asked(request.url!), {
        method: request.method,
        headers: {
          'Content-Type': 'application/json',
          'X-Auth-Token': String(request.headers['x-auth-token'] ?? ''),
        },
        body: body.length > 0 ? Buffer.concat(body).toString() : undefined,
      });
      for (const name of ['X-Auth-Token', 'Location'])
        if (inner.headers.get(name)) response.setHeader(name, inner.headers.get(name)!);
      response.writeHead(inner.status).end(change.said(await inner.text()));
    })().catch(() => response.destroy());

/** Ends all that answer. */
export function endAnswering(): void {
  for (const server of open.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
}
