import { parse } from 'yaml';

/** One test point of TAP 14, with its subtest, if any. */
export interface Point {
  readonly ok: boolean;
  readonly description: string;
  readonly directive: 'SKIP' | 'TODO' | undefined;
  readonly reason: string;
  readonly diagnostics: unknown;
  readonly points: readonly Point[] | undefined;
}

const pointLine = /^(not )?ok (\d+) - ((?:[^\\#]|\\[\\#])*?)(?: # (SKIP|TODO)(?: ((?:[^\\#]|\\[\\#])*))?)?$/;
const unescaped = (text: string): string => text.replace(/\\([\\#])/g, '$1');

/** Reads TAP 14 by its published grammar, strictly: throws at the first invalid line. */
export function readTap(text: string): { points: readonly Point[]; bailOut: string | undefined } {
  const lines = text.split('\n');
  if (lines.pop() !== '') throw new Error('the last line has no end');
  if (lines.shift() !== 'TAP version 14') throw new Error('the first line is not the version');
  let at = 0;
  let bailOut: string | undefined;

  const document = (indent: string): Point[] => {
    const points: Point[] = [];
    let plan: number | undefined;
    for (; at < lines.length; at++) {
      const whole = lines[at] as string;
      const refuse = (why: string): never => {
        throw new Error(`line ${at + 2}: ${why}: ${whole}`);
      };
      if (!whole.startsWith(indent)) break;
      const line = whole.slice(indent.length);
      if (line.startsWith(' ')) refuse('indented by something else than a subtest');
      if (line.startsWith('Bail out!')) {
        bailOut = line.slice('Bail out! '.length);
        continue;
      }
      if (line.startsWith('# ') && !line.startsWith('# Subtest: ')) continue;
      const planned = /^1\.\.(\d+)$/.exec(line);
      if (planned) {
        if (plan !== undefined) refuse('a second plan');
        plan = Number(planned[1]);
        continue;
      }
      let within: Point[] | undefined;
      let title: string | undefined;
      if (line.startsWith('# Subtest: ')) {
        title = line.slice('# Subtest: '.length);
        at++;
        within = document(`${indent}    `);
      }
      const point = pointLine.exec((lines[at] ?? '').slice(indent.length));
      if (!(lines[at] ?? '').startsWith(indent) || !point) return refuse('no test point');
      const [, not, number, description = '', directive, reason = ''] = point;
      if (Number(number) !== points.length + 1) refuse('a number out of order');
      if (title !== undefined && title !== description) refuse('the point of a subtest has another name');
      const ok = not === undefined;
      if (within && ok !== within.every((one) => one.ok || one.directive === 'TODO')) refuse('a subtest and its point disagree');
      let diagnostics: unknown;
      if (lines[at + 1] === `${indent}  ---`) {
        const end = lines.indexOf(`${indent}  ...`, at);
        if (end < 0) refuse('a YAML block without an end');
        const block = lines.slice(at + 2, end);
        if (block.some((one) => one !== '' && !one.startsWith(`${indent}  `))) refuse('a line of YAML that is not indented');
        diagnostics = parse(block.map((one) => one.slice(indent.length + 2)).join('\n'));
        at = end;
      }
      points.push({
        ok,
        description: unescaped(description),
        directive: directive as Point['directive'],
        reason: unescaped(reason),
        diagnostics,
        points: within,
      });
    }
    if (plan !== points.length && !(plan === undefined && bailOut !== undefined))
      throw new Error(`line ${at + 2}: ${points.length} points under a plan of ${plan}`);
    return points;
  };

  const points = document('');
  if (at < lines.length) throw new Error(`line ${at + 2}: indented too little`);
  return { points, bailOut };
}

/** All points that contain no others. */
export const leaves = (points: readonly Point[]): Point[] => points.flatMap((point) => (point.points ? leaves(point.points) : [point]));
