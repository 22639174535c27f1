import type { Person } from '@moorage/contract/people';
import type { NextFunction, Request, Response } from 'express';
import type { Database } from '../database/database';
import { personOfToken } from '../tokens/tokens';
import { Refusal } from '../refusals/refusal';

/** What a token does not read: changes of everything, and tokens. */
const closed = /^\/(events|tokens|session)(\/|$)/;

/** Reads who comes with a token. They read and change nothing; a session beside it counts for nothing. */
export class TokenGate {
  private readonly readers = new WeakMap<Request, Person>();

  constructor(private readonly database: Database) {}

  readonly personOf = (request: Request): Person | undefined => this.readers.get(request);

  readonly isToken = (request: Request): boolean => /^bearer /i.test(request.header('Authorization') ?? '');

  readonly check = async (request: Request, _response: Response, next: NextFunction): Promise<void> => {
    const secret = /^bearer +([\w.~+/=-]{1,200})$/i.exec(request.header('Authorization') ?? '')?.[1];
    if (!this.isToken(request)) return next();
    const person = secret === undefined ? undefined : await personOfToken(this.database, secret);
    if (!person)
      throw new Refusal(
        'not-signed-in',
        'no-such-token',
        'No such token',
        'The token is not known, has expired, or was revoked. Make another one.',
      );
    if ((request.method !== 'GET' && request.method !== 'HEAD') || closed.test(request.path))
      throw new Refusal('forbidden', 'only-reads', 'A token only reads', 'Sign in for anything else.');
    this.readers.set(request, person);
    next();
  };
}
