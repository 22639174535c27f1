import type { ClassRow, NewClass } from '@moorage/contract/classes';
import { ApiProblem, ask } from '../api/client';
import { refresh } from '../api/queries';

/** Changes a class that nobody changed since `version`; makes it the default when it is to be and is not. */
export async function changeClass(
  name: string,
  version: string,
  cls: NewClass,
  wasDefault = cls.isDefault,
): Promise<ClassRow> {
  const row = await ask('changeClass', {
    params: { name },
    version: Number(version),
    body: { ...cls, isDefault: wasDefault },
  });
  if (cls.isDefault && !wasDefault) await ask('makeDefault', { params: { name } });
  await refresh('classes', 'placement');
  return row;
}

/** What to say where a form was refused; what was typed stays. */
export const problemText = (error: unknown): string =>
  error instanceof ApiProblem
    ? error.detail
    : 'The server does not answer. What you typed is still here; try again in a moment.';
