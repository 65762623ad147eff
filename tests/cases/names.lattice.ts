import { cell, dataFile, planSuites, range, rows, suite, table, test } from 'red-lattice';
import { IdentityCounter } from '../../src/cases/identity.ts';
import { createRandom } from '../../src/cases/random.ts';

type Row = Record<string, unknown>;

async function planned(title: string, given: readonly Row[]): Promise<{ id: string; title: string; path: readonly string[] }[]> {
  const cases: { id: string; title: string; path: readonly string[] }[] = [];
  for await (const one of planSuites([test(title, { cases: rows(given) }, () => {})])) cases.push({ id: one.id, title: one.title, path: one.path });
  return cases;
}

export const names = suite('names', [
  test(
    '{row} makes {id}',
    {
      cases: table(
        ['row', 'id'],
        [
          [{ loa: 12, hull: 'cat' }, 'loa=12,hull=cat'],
          [{ resident: false, due: null }, 'resident=false,due=null'],
          [{ when: '2031-04-01' }, 'when=2031-04-01'],
          [{ loa: -3.5 }, 'loa=-3.5'],
          [{ hafen: 'Årø' }, 'hafen=Årø'],
          [{ name: 'at noon' }, 'name=at-noon'],
          [{ bytes: new Uint8Array([1, 2]) }, 'bytes=Uint8Array-0-1,-1-2-cb388e4f'],
          [{ bytes: new Uint8Array(256) }, 'bytes=Uint8Array-0-0,-1-0,-2-0,-3-0,-4-b485ee5f'],
          [{ bytes: new Uint8Array(257) }, 'bytes=Uint8Array-257-bytes-52ba7c4a'],
          [{ tags: new Set(['a', 'b']) }, 'tags=Set-2-a617a991'],
          [{ dues: new Map([['N4', 5]]) }, 'dues=Map-1-ed1c13a3'],
          [{ mark: Symbol('mark') }, 'mark=Symbol-mark-11d5a3a3'],
          [{ day: new Date(Date.UTC(2031, 3, 1)) }, 'day=2031-04-01-d09fd818'],
        ],
      ),
    },
    async ({ row, check }) => check.equal((await planned('t', [row.row]))[0]?.id, `suites#t/${row.id}`),
  ),

  test('distinguish similar values: {one} and {two}', {
    cases: table(
      ['one', 'two'],
      [
        ['1', 1],
        ['true', true],
        ['a b', 'a-b'],
        ['a,b=c', 'a b c'],
        ['06:00', '06-00'],
        [{ a: 1 }, { a: '1' }],
        ['x'.repeat(90), `${'x'.repeat(90)}y`],
        [new Date(0), '1970-01-01'],
        [new Uint8Array(300), new Uint8Array(300).fill(1)],
        [Uint8Array.from([1]).buffer, Uint8Array.from([2]).buffer],
      ],
    ),
  }, async ({ row, check }) => {
    const ids = (await planned('t', [{ v: row.one }, { v: row.two }])).map(({ id }) => id);
    check.equal(new Set(ids).size, 2, ids.join(' '));
    check.holds(
      ids.every((id) => !id.includes('~')),
      'neither is a twin',
    );
  }),

  test('stay the same while rows are added, removed and moved: seed {seed}', { cases: range('seed', 1, 40) }, async ({ row, check }) => {
    const random = createRandom(`ids ${row.seed}`);
    const value = (): unknown =>
      random.pick<() => unknown>([
        () => random.integer(-5, 5),
        () => random.text(2, 'ab -=:,é'),
        () => random.pick([true, null, 'true', '1']),
        () => [random.integer(0, 2)],
      ])();
    const made = Array.from({ length: 30 }, () => ({ a: value(), b: value() }));
    const distinct = [...new Map(made.map((one) => [JSON.stringify(one), one])).values()];
    const before = new Map((await planned('t', distinct)).map(({ id }, i) => [JSON.stringify(distinct[i]), id]));
    check.equal(new Set(before.values()).size, distinct.length, 'each its own');
    const kept = random.shuffle(distinct).filter(() => random.integer(0, 3) > 0);
    const after = await planned('t', kept);
    check.equal(
      after.map(({ id }) => id),
      kept.map((one) => before.get(JSON.stringify(one)) as string),
    );
  }),

  test('of equal rows are numbered', async ({ check }) =>
    check.equal(
      (await planned('t', [{ a: 1 }, { a: 2 }, { a: 1 }])).map(({ id }) => id),
      ['suites#t/a=1', 'suites#t/a=2', 'suites#t/a=1~2'],
    )),

  test('of rows with endless numbers are numbered', async ({ check }) =>
    check.equal(
      (await planned('t', [{ a: 1 }, { a: Infinity }, { a: Infinity }, { a: -Infinity }, { a: Infinity }])).map(({ id }) => id),
      ['a=1', 'a=Infinity', 'a=Infinity~2', 'a=-Infinity', 'a=Infinity~3'].map((id) => `suites#t/${id}`),
    )),

  test('are unique, whatever the rows contain: seed {seed}', { cases: range('seed', 1, 12) }, async ({ row, check }) => {
    const random = createRandom(`twins ${row.seed}`);
    const value = (): unknown =>
      random.pick<() => unknown>([
        () => random.integer(0, 300) / random.pick([1, 8, 10, 1000]),
        () => random.pick([0, -0, -1.5, 0.3, 0.1 + 0.2, 1e21, 2147483.647, 2147483.648, 2147483647, 2147483648, Number.NaN]),
        () => random.text(random.integer(1, 2), 'ab1_ é'),
        () => random.pick([true, 'true', null]),
      ])();
    const given = Array.from({ length: 3000 }, () => (random.integer(0, 1) ? { a: value(), b: value() } : { a: value() }));
    const ids = (await planned('t', given)).map(({ id }) => id);
    const seen = new Map<string, number>();
    check.equal(
      ids,
      ids.map((id) => {
        const own = id.replace(/~\d+$/, '');
        const twin = (seen.get(own) ?? 0) + 1;
        seen.set(own, twin);
        return twin === 1 ? own : `${own}~${twin}`;
      }),
    );
  }),

  test('of equal rows are numbered after rows have stopped rising: seed {seed}', { cases: range('seed', 1, 60) }, async ({ row, check }) => {
    const random = createRandom(`rising ${row.seed}`);
    const size = random.integer(1, 900);
    const until = random.pick([0, 1, 200, 255, 256, 500, size]);
    const first = random.pick<(at: number) => string>([
      (at) => `N${at}`,
      (at) => String(at / 2),
      (at) => (at % 100 ? `N${at}` : String(at)),
      (at) => `N ${at}`,
    ]);
    const lines = Array.from({ length: size }, (_, i) => {
      const at = i < until || random.integer(0, 9) ? i : random.integer(0, i);
      return `${first(at)},${random.pick(['cat', 'mono'])}`;
    });
    const text = new TextEncoder().encode(['berth,hull', ...lines].join('\n'));
    const files = {
      async *read() {
        for (let from = 0; from < text.length; from += 3000) yield text.subarray(from, from + 3000);
      },
    };
    const berth = random.pick([cell.text, cell.from('berth', (given) => (Number.isNaN(Number(given)) ? given : Number(given)))]);
    const seen = new Map<string, number>();
    const wanted = lines.map((line) => {
      seen.set(line, (seen.get(line) ?? 0) + 1);
      return seen.get(line) as number;
    });
    const ids: string[] = [];
    const lies = test('lies', { cases: dataFile('berths.csv', { columns: { berth, hull: cell.text } }) }, () => {});
    for await (const { id } of planSuites([lies], { files, base: new URL('file:///') })) ids.push(id);
    check.equal(
      ids.map((id) => Number(/~(\d+)$/.exec(id)?.[1] ?? 1)),
      wanted,
    );
    check.equal(new Set(ids).size, size, 'each its own');
  }),

  test('are distinguished in tables of any size: seed {seed}', { cases: range('seed', 1, 40) }, ({ row, check }) => {
    const random = createRandom(`tables ${row.seed}`);
    const identities = new IdentityCounter([random.integer(2, 6), random.integer(8, 20), random.integer(24, 40)]);
    const seen = new Map<number, number>();
    for (let batch = 0; batch < 20; batch++) {
      const numbers = Array.from({ length: random.integer(0, 30) }, () => random.integer(0, 150));
      const twins = numbers.map((number) => {
        seen.set(number, (seen.get(number) ?? 0) + 1);
        return seen.get(number);
      });
      check.equal(identities.add(numbers.map((number) => ({ row: { number }, name: undefined }))), twins as number[]);
    }
  }),

  test('a path is the same for all cases of a test', async ({ check }) => {
    const all = await planned('{vessel} lies', [{ vessel: 'Gull' }, { vessel: 'Tern' }]);
    check.equal(
      all.map(({ path }) => path),
      [['{vessel} lies'], ['{vessel} lies']],
    );
  }),

  test(
    'title {title} reads {reads}',
    {
      cases: table(
        ['title', 'reads'],
        [
          ['{stay.nights} nights', '3 nights'],
          ['{{nights} for {vessel}', '{nights} for Gull'],
          ['{vessel} for {stay}', 'Gull for {nights: 3}'],
          ['no columns', 'no columns › vessel=Gull, stay={nights: 3}'],
          ['{vessel.owner.name}', '{vessel.owner.name}'],
          ['{stay.days} days', '{stay.days} days'],
        ],
      ),
    },
    async ({ row, check }) => check.equal((await planned(row.title, [{ vessel: 'Gull', stay: { nights: 3 } }]))[0]?.title, row.reads),
  ),
]);
