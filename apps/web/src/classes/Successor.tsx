import type { ClassRow } from '@moorage/contract/classes';
import type { PlacementState } from '@moorage/contract/moorings';
import { differences, isLoose, successorName } from '@moorage/core/classes/succession';
import { useMemo, useState } from 'react';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useGo } from '../frame/address';
import { useNotice } from '../parts/useAct';
import { changeClass, problemText } from './acts';
import { ClassForm, type Filled } from './ClassForm';
import { ClassPlace } from './ClassPlace';

function Succeeding({ row, state }: { row: ClassRow; state: PlacementState }) {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const [refused, setRefused] = useState<string>();
  const { name } = row.storageClass;
  const start = useMemo(
    () => ({
      ...row.storageClass,
      name: successorName(name, new Set(state.classes.map((c) => c.name))),
      isDefault: row.isDefault,
    }),
    [row, name, state.classes],
  );
  const submit = async ({ cls }: Filled) => {
    setRefused(undefined);
    const differ = differences(row.storageClass, cls);
    if (differ.length === 0) return setRefused(`Nothing differs from ${name}: change an answer first.`);
    try {
      if (differ.every(isLoose)) {
        await changeClass(name, row.version, { ...cls, name }, row.isDefault);
        show({
          kind: 'done',
          text: `Class ${name} itself is changed: the platform does not fix that, so no successor is needed.`,
        });
        return go(`/classes/${name}`);
      }
      const { isDefault, ...storageClass } = cls;
      const plan = await ask('makeSuccessor', {
        params: { name },
        body: { storageClass, takesDefault: isDefault },
        key: crypto.randomUUID(),
      });
      await refresh('classes');
      show({
        kind: 'done',
        text: `Class ${plan.to} is made, with the moorings of ${name}. The plan for its claims is below.`,
      });
      go(`/classes/${plan.to}`);
    } catch (error) {
      setRefused(problemText(error));
    }
  };
  return (
    <ClassForm
      state={state}
      start={start}
      usedBy={row.statefulClaims}
      taken={(n) => (state.classes.some((c) => c.name === n) ? 'A class of this name exists already.' : undefined)}
      refused={refused}
      verb="Make the successor"
      onSubmit={submit}
    />
  );
}

export default function Successor() {
  return (
    <ClassPlace
      title={(name) => `A successor of ${name}`}
      question="The platform fixes what a class promises. The change makes a class that takes over, and a plan for moving the claims."
    >
      {(row, state) => <Succeeding row={row} state={state} />}
    </ClassPlace>
  );
}
