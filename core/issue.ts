import { quoted } from './errors';
import type { z } from 'zod';

type Issue = z.core.$ZodIssue;

/** Where and why an input does not fit its schema, in words: "ground › across: it has to be a whole number". */
export function describeIssue(issue: Issue, whole = 'it'): string {
  const path = issue.path.map((key) =>
    typeof key === 'string' && /^[\w -]{1,40}$/.test(key) ? key : typeof key === 'number' ? String(key + 1) : quoted(String(key)),
  );
  return `${path.join(' › ') || whole}: ${reason(issue)}`;
}

function reason(issue: Issue): string {
  switch (issue.code) {
    case 'invalid_type':
      return issue.input === undefined && / received undefined$/.test(issue.message)
        ? 'it is missing'
        : `it has to be ${KINDS[issue.expected] ?? issue.expected}`;
    case 'too_small':
      return `it has to be ${issue.inclusive === false ? 'more than' : 'at least'} ${issue.minimum}${COUNTED[issue.origin] ?? ''}`;
    case 'too_big':
      return `it has to be ${issue.inclusive === false ? 'less than' : 'at most'} ${issue.maximum}${COUNTED[issue.origin] ?? ''}`;
    case 'invalid_value':
      return `it has to be ${issue.values.slice(0, 12).map(String).join(', ')}`;
    case 'invalid_format':
      return issue.message.startsWith('it ') ? issue.message : 'it is not of the form that it should have';
    default:
      return /^[\w ,.'"-]{1,200}$/.test(issue.message) && !/undefined/.test(issue.message)
        ? issue.message.replace(/\.$/, '').toLowerCase()
        : 'it is not what it should be';
  }
}

const KINDS: Record<string, string> = {
  string: 'text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  object: 'an object',
  array: 'a list',
  record: 'an object',
  tuple: 'a list',
  nonoptional: 'there',
};
const COUNTED: Record<string, string> = { string: ' characters long', array: ' long' };
