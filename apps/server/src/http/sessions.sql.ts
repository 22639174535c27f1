import type { Person } from '@moorage/contract/people';
import type { SessionData } from 'express-session';
import { statement } from '../database/statement';

/** A session that has not ended, and whom it is of: asked at every call, so in one way. */
export const sessionAndPerson = statement<{ sess: SessionData; person: Person | null }, [sid: string]>(
  `SELECT s.sess, CASE WHEN p.name IS NOT NULL THEN
     jsonb_build_object('name', p.name, 'title', p.title, 'role', p.role, 'namespaces', p.namespaces) END AS person
   FROM session s LEFT JOIN people p ON p.name = s.sess ->> 'person' WHERE s.sid = $1 AND s.expire >= now()`,
  'planned once',
);
