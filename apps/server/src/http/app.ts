import { join } from 'node:path';
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import session from 'express-session';
import helmet from 'helmet';
import type pg from 'pg';
import type { Logger } from 'pino';
import type { Config } from '../config';
import type { Database } from '../database/database';
import type { Engine } from '../engine';
import type { LiveStream } from '../live/stream';
import { TokenGate } from './tokens';
import type { Metrics } from '../metrics/metrics';
import { SignInBrake } from '../people/brake';
import { Refusal } from '../refusals/refusal';
import { knownHosts, noStore, sameOrigin } from './guards';
import { makeHandlers } from './handlers';
import { statusOf, toBody, toRefusal } from './problem';
import { bindRoutes } from './routes';
import { SessionStore, sessionMs } from './sessions';

function securityHeaders() {
  return helmet({
    contentSecurityPolicy: {
      directives: {
        defaultSrc: ["'self'"],
        // the toolkit writes its style rules into the page
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:'],
        workerSrc: ["'self'", 'blob:'],
        upgradeInsecureRequests: null,
      },
    },
    // served over plain HTTP on loopback; whoever puts TLS before it sets this there
    strictTransportSecurity: false,
  });
}

function measure(metrics: Metrics) {
  return (request: Request, response: Response, next: NextFunction) => {
    const end = metrics.requests.startTimer({ method: request.method });
    response.on('finish', () =>
      end({
        route: (request.route as { path?: string } | undefined)?.path ?? 'other',
        status: String(response.statusCode),
      }),
    );
    next();
  };
}

/** The HTTP side of a server: API, live changes, metrics and the built interface. */
export function makeApp(
  config: Config,
  database: Database,
  sessions: pg.Pool,
  engine: Engine,
  stream: LiveStream,
  metrics: Metrics,
  log: Logger,
): Express {
  const app = express();
  app.disable('x-powered-by');
  // behind a proxy, addresses are those it tells of
  app.set('trust proxy', config.behindTls ? 1 : false);
  app.use(securityHeaders(), knownHosts(config.hosts));
  app.get('/metrics', async (_request, response) => {
    metrics.ready.set(engine.isReady ? 1 : 0);
    response.type(metrics.registry.contentType).send(await metrics.registry.metrics());
  });
  if (config.webRoot) app.use(express.static(config.webRoot, { index: false, maxAge: '1h' }));
  app.use('/api', measure(metrics), noStore, sameOrigin);
  const store = new SessionStore(sessions, database, log);
  const readSession = session({
    name: 'moorage',
    secret: config.sessionSecret,
    resave: false,
    saveUninitialized: false,
    store,
    proxy: config.behindTls,
    cookie: { httpOnly: true, sameSite: 'strict', secure: config.behindTls, maxAge: sessionMs },
  });
  const gate = new TokenGate(database);
  const open = new Set(['/health', '/openapi.json', '/demo-people']);
  app.use('/api', (request, response, next) =>
    open.has(request.path) || gate.isToken(request) ? next() : readSession(request, response, next),
  );
  app.use('/api', gate.check);
  const handlers = makeHandlers(database, engine, stream, new SignInBrake(database));
  bindRoutes(app, engine.keys, handlers, (request) => gate.personOf(request) ?? store.personOf(request));
  app.use('/api', (request) => {
    throw new Refusal(
      'not-found',
      'no-such-route',
      'Not found',
      `${request.method} ${request.originalUrl} is not part of this API; see /api/openapi.json.`,
    );
  });
  if (config.webRoot) {
    const page = join(config.webRoot, 'index.html');
    app.get('/*rest', (_request, response) => response.sendFile(page));
    app.get('/', (_request, response) => response.sendFile(page));
  }
  app.use((error: unknown, request: Request, response: Response, _next: NextFunction) => {
    const refusal = toRefusal(error);
    if (refusal.kind === 'unforeseen')
      log.error({ err: error, path: request.path }, 'a request failed for a reason not foreseen');
    // the caller is told to try again; whoever runs the server sees whether it is more than chance
    if (refusal.code === 'met-another-change')
      log.warn({ err: error, path: request.path }, 'a request met another change');
    if (response.headersSent) return response.end();
    if (refusal.retryAfterS !== undefined) response.setHeader('Retry-After', String(refusal.retryAfterS));
    return response
      .status(statusOf[refusal.kind])
      .type('application/problem+json')
      .send(JSON.stringify(toBody(refusal)));
  });
  return app;
}
