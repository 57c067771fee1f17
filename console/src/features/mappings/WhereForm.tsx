import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { Trial } from '@/api/types';
import { callDetail } from '@/features/calls';
import { Button } from '@/ui/Button';
import { TextArea } from '@/ui/TextArea';
import { ConditionRows } from './ConditionRows';
import { type Item, rowsOf, whereOf } from './conditionRows';
import { seenInCall } from './seenInCall';

interface Props {
  /** The conditions, as JSON. */
  where: string;
  fault?: string;
  trial?: Trial;
  /** A call whose parts and values are offered; '' for none. */
  like: string;
  onChange(where: string): void;
}

/** The conditions of a mapping, as rows or as JSON: two views of one text. */
export function WhereForm({ where, fault, trial, like, onChange }: Props) {
  const [typed, setTyped] = useState({ where, rows: rowsOf(where) });
  const rows = typed.where === where ? typed.rows : rowsOf(where); // what is half typed stays as it is
  const [asText, setAsText] = useState(false);
  const { data: call } = useQuery({ ...callDetail(like), enabled: like !== '' });
  const seen = useMemo(() => (call ? seenInCall(call) : {}), [call]);
  const text = asText || !rows;
  const change = (items: Item[]) => {
    const next = whereOf(items);
    setTyped({ where: next, rows: items });
    onChange(next);
  };
  return (
    <div className="space-y-1">
      <div className="flex items-center justify-between">
        <span className="font-medium text-dim text-xs">Where</span>
        {rows && (
          <Button look="bare" className="h-6 px-1 text-xs" onClick={() => setAsText(!asText)}>
            {asText ? 'As rows' : 'As JSON'}
          </Button>
        )}
      </div>
      {text ? (
        <TextArea
          label="Where, as JSON"
          quiet
          value={where}
          rows={Math.min(10, Math.max(2, where.split('\n').length))}
          placeholder={'[{"query": "season", "equals": "winter"}]'}
          onChange={onChange}
          fault={fault}
          hint="Conditions on query, header, cookie, form, part, body (JSONPath), xml (XPath), graphql, as JSON"
        />
      ) : (
        <ConditionRows items={rows} onChange={change} trial={trial} seen={seen} />
      )}
    </div>
  );
}
