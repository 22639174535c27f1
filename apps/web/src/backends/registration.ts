import type { Trust } from '@moorage/contract/backends';
import { registrationSchema, type Probe } from '@moorage/contract/registration';
import { useContext, useState } from 'react';
import { ApiProblem, ask } from '../api/client';
import { refresh } from '../api/queries';
import { useGo } from '../frame/address';
import { PersonContext } from '../parts/person';
import { useNotice } from '../parts/useAct';

interface Fields {
  readonly address: string;
  readonly username: string;
  readonly password: string;
  readonly trust: Trust;
  readonly id: string;
  readonly title: string;
  readonly sites: readonly string[];
}

/** A registration as it is filled in: looked at first, named afterwards. */
export function useRegistration() {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const site = useContext(PersonContext)?.site;
  const [fields, setFields] = useState<Fields>({
    address: '',
    username: '',
    password: '',
    trust: { kind: 'system' },
    id: '',
    title: '',
    sites: site ? [site] : [],
  });
  const [problems, setProblems] = useState<Readonly<Record<string, string>>>({});
  const [probe, setProbe] = useState<Probe>();
  const [busy, setBusy] = useState<'looking' | 'registering'>();
  const set = (part: Partial<Fields>) => {
    setFields({ ...fields, ...part });
    setProblems({});
    // what was seen belongs to the address and the credentials it was seen with
    if ('address' in part || 'username' in part || 'password' in part || 'trust' in part) setProbe(undefined);
  };
  const { address, username, password, trust } = fields;
  const refused = (error: unknown) => {
    if (error instanceof ApiProblem) {
      setProblems(Object.fromEntries(error.errors.map((e) => [e.field, e.detail])));
      if (error.errors.length === 0 || error.errors.every((e) => e.field === ''))
        show({ kind: 'refused', text: error.detail });
    } else show({ kind: 'refused', text: 'The server does not answer; nothing is known to have changed.' });
  };
  const look = async (with_: Trust = trust) => {
    setBusy('looking');
    try {
      const found = await ask('probeBackend', {
        body: { address, username, password, trust: with_ },
      });
      setProbe(found);
      const name = new URL(address).hostname.split('.')[0] ?? '';
      if (found.outcome === 'ready' && fields.id === '')
        setFields((f) => ({
          ...f,
          trust: with_,
          id:
            found.product
              ?.split(/[ ,]/)[0]
              ?.toLowerCase()
              .replace(/[^a-z0-9-]/g, '') ?? name,
          title: found.product ?? '',
        }));
    } catch (error) {
      refused(error);
    } finally {
      setBusy(undefined);
    }
  };
  const register = async () => {
    const read = registrationSchema.safeParse(fields);
    if (!read.success)
      return setProblems(Object.fromEntries(read.error.issues.map((i) => [String(i.path[0]), i.message])));
    setBusy('registering');
    try {
      const made = await ask('registerBackend', {
        body: read.data,
        key: crypto.randomUUID(),
      });
      await refresh('backends');
      show({ kind: 'done', text: `${made.id} is registered.` });
      go(`/backends/${made.id}`);
    } catch (error) {
      refused(error);
    } finally {
      setBusy(undefined);
    }
  };
  const pin = (fingerprint: string) => {
    const pinned: Trust = { kind: 'pinned', fingerprint };
    setFields({ ...fields, trust: pinned });
    void look(pinned);
  };
  return { fields, set, problems, probe, busy, look, register, pin };
}
