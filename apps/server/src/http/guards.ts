import type { NextFunction, Request, Response } from 'express';
import { Refusal } from '../refusals/refusal';

const loopback = ['127.0.0.1', 'localhost', '[::1]'];
const open = new Set(['/metrics', '/api/health']);
const safe = new Set(['GET', 'HEAD', 'OPTIONS']);

const nameOf = (host: string): string => host.replace(/:\d+$/, '').toLowerCase();

/** Refuses requests under names that this installation does not have: a foreign page may point its own name here. */
export function knownHosts(hosts: readonly string[]) {
  const known = new Set([...loopback, ...hosts.map((h) => h.toLowerCase())]);
  return (request: Request, _response: Response, next: NextFunction): void => {
    const host = request.headers.host ?? '';
    if (!open.has(request.path) && !known.has(nameOf(host)))
      throw new Refusal(
        'misdirected',
        'unknown-host',
        'Not known under this name',
        `This server does not answer as "${host}". Its names are ${[...known].join(', ')}; MOORAGE_HOSTS adds others.`,
      );
    next();
  };
}

/** Refuses changes that a page of another origin sends. Programs, which send neither header, are let through. */
export function sameOrigin(request: Request, _response: Response, next: NextFunction): void {
  if (safe.has(request.method)) return next();
  const site = request.header('Sec-Fetch-Site');
  const origin = request.header('Origin');
  const foreign =
    (site !== undefined && site !== 'same-origin' && site !== 'none') ||
    (origin !== undefined && (!URL.canParse(origin) || new URL(origin).host !== request.headers.host));
  if (foreign)
    throw new Refusal(
      'forbidden',
      'foreign-origin',
      'Not allowed from there',
      'The request comes from a page of another origin. Make the change in this application itself.',
    );
  next();
}

/** Answers are for whoever asked, at this moment. */
export function noStore(_request: Request, response: Response, next: NextFunction): void {
  response.setHeader('Cache-Control', 'no-store');
  next();
}
