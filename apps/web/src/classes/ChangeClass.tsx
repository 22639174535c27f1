import type { ClassRow } from '@moorage/contract/classes';
import type { PlacementState } from '@moorage/contract/moorings';
import { differences } from '@moorage/core/classes/succession';
import { useMemo, useState } from 'react';
import { useGo } from '../frame/address';
import { useDraft } from '../moorings/draft';
import { useNotice } from '../parts/useAct';
import { changeClass, problemText } from './acts';
import { ClassForm, type Filled } from './ClassForm';
import { ClassPlace } from './ClassPlace';

function Changing({ row, state }: { row: ClassRow; state: PlacementState }) {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const { drafting, add } = useDraft();
  const [refused, setRefused] = useState<string>();
  const { name } = row.storageClass;
  // the version that was read when the form was opened: whoever was faster is told of, not written over
  const [opened] = useState(row);
  const start = useMemo(() => ({ ...opened.storageClass, isDefault: opened.isDefault }), [opened]);
  const differs = ({ cls }: Filled): boolean => {
    if (opened.isDefault && !cls.isDefault) {
      setRefused('There is always one default class: make another one the default instead.');
      return false;
    }
    if (differences(opened.storageClass, cls).length > 0 || cls.isDefault !== opened.isDefault) return true;
    setRefused(`Nothing differs from ${name} as it is: change an answer first.`);
    return false;
  };
  const submit = async (of: Filled) => {
    setRefused(undefined);
    if (!differs(of)) return;
    try {
      await changeClass(name, opened.version, of.cls, opened.isDefault);
      show({ kind: 'done', text: `Class ${name} is changed; its moorings and grants are as they were.` });
      go(`/classes/${name}`);
    } catch (error) {
      setRefused(problemText(error));
    }
  };
  return (
    <ClassForm
      state={state}
      start={start}
      usedBy={row.statefulClaims}
      keepsName
      taken={(n) => (n === name ? undefined : 'A class keeps its name.')}
      refused={refused}
      verb="Change the class"
      onSubmit={submit}
      more={
        drafting
          ? {
              verb: 'Add to the draft',
              act: (of) => {
                if (!differs(of)) return;
                add(state, { kind: 'class-change', storageClass: of.cls, was: start, seen: opened.version });
                if (of.cls.isDefault && !opened.isDefault)
                  add(state, { kind: 'default', className: name, seen: state.defaultClass });
                go('/moorings');
              },
            }
          : undefined
      }
    />
  );
}

export default function ChangeClass() {
  return (
    <ClassPlace
      title={(name) => `Change ${name}`}
      question="No claim uses it, so it can be made anew under its name. Once claims do, the platform fixes what it promises."
    >
      {(row, state) => <Changing row={row} state={state} />}
    </ClassPlace>
  );
}
