import type { Person, Role } from '@moorage/contract/people';
import { createContext, useContext } from 'react';

export const PersonContext = createContext<Person | undefined>(undefined);

/** Whether the one signed in has one of these roles; the server checks again. */
export function useMay(...roles: Role[]): boolean {
  const person = useContext(PersonContext);
  return person !== undefined && roles.includes(person.role);
}
