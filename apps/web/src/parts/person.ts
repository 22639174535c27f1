import type { Role, Session } from '@moorage/contract/people';
import { createContext, useContext } from 'react';

export const PersonContext = createContext<Session | undefined>(undefined);

/** Whether the one signed in has one of these roles; the server checks again. */
export function useMay(...roles: Role[]): boolean {
  const person = useContext(PersonContext);
  return person !== undefined && roles.includes(person.role);
}
