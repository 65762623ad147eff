import { range, test } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { Locks } from '../../src/node/locks.ts';
import { ConcurrencyGate, EXCLUSIVE_LOCK, type ResourceRequest } from '../../src/running/concurrency-gate.ts';

const turn = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));

interface Wish {
  readonly owner: object;
  readonly names: readonly string[];
  readonly number: number;
}

export const locks = test('locks of a run have one holder at a time, and no request waits forever: seed {seed}', { cases: range('seed', 1, 200) }, ({
  row,
  check,
}) => {
  const random = createRandom(`locks ${row.seed}`);
  const locks = new Locks();
  const owners = Array.from({ length: random.integer(2, 5) }, (_, lane) => ({ lane }));
  const [waiting, held] = [new Set<Wish>(), new Set<Wish>()];
  const isOverlapping = (a: Wish, b: Wish): boolean => a.names.some((name) => b.names.includes(name));
  const granted = (wish: Wish): void => {
    check.equal(
      [...held].filter((other) => other !== wish && isOverlapping(other, wish)),
      [],
      'held by nobody else',
    );
    check.equal(
      [...waiting].filter((other) => other.number < wish.number && isOverlapping(other, wish)),
      [],
      'nobody who wants one of them has waited for longer',
    );
    waiting.delete(wish);
    held.add(wish);
  };
  const release = (wish: Wish): void => {
    held.delete(wish);
    locks.release(wish.owner, wish.names);
  };
  for (let step = 0; step < 60; step++) {
    const what = random.integer(0, 9);
    if (what < 5) {
      const wish = { owner: random.pick(owners), names: random.shuffle(['a', 'b', 'c', 'd']).slice(0, random.integer(1, 3)), number: step };
      // A lane requests a lock that it holds itself only through its own gate.
      if ([...held, ...waiting].some((other) => other.owner === wish.owner && isOverlapping(other, wish))) continue;
      waiting.add(wish);
      locks.ask(wish.owner, wish.names, () => granted(wish));
    } else if (what < 9) {
      if (held.size > 0) release(random.pick([...held]));
    } else {
      const owner = random.pick(owners);
      for (const wish of [...held, ...waiting]) {
        if (wish.owner !== owner) continue;
        held.delete(wish);
        waiting.delete(wish);
      }
      locks.forget(owner);
    }
  }
  for (let turn = 0; turn < 200 && held.size > 0; turn++) release([...held][0] as Wish);
  check.equal(waiting.size, 0, 'all were granted in the end');
});

export const gates = test('cases of a lane run together only if all of them allow it: seed {seed}', { cases: range('seed', 1, 100) }, async ({
  row: { seed },
  check,
}) => {
  const random = createRandom(`gates ${seed}`);
  const gate = new ConcurrencyGate();
  const running = new Map<ResourceRequest, () => void>();
  let waiting = 0;
  for (let step = 0; step < 40; step++) {
    if (random.integer(0, 2) > 0) {
      const request = {
        concurrency: random.integer(1, 4),
        locks: random.integer(0, 9) === 0 ? [EXCLUSIVE_LOCK] : random.shuffle(['a', 'b', 'c']).slice(0, random.pick([0, 0, 1, 2])),
      };
      waiting++;
      void gate.acquire(request).then((release) => {
        waiting--;
        running.set(request, release);
      });
    } else if (running.size > 0) {
      const [request, release] = random.pick([...running]);
      running.delete(request);
      release();
    }
    await turn();
    const all = [...running.keys()];
    check.holds(all.length === 0 || all.length <= Math.min(...all.map(({ concurrency }) => concurrency)), 'not more than any allows');
    const locks = all.flatMap(({ locks }) => locks);
    check.equal(new Set(locks).size, locks.length, 'each lock has one holder');
    check.holds(!locks.includes(EXCLUSIVE_LOCK) || all.length === 1, 'an exclusive case runs alone');
    check.equal([gate.isIdle, waiting > 0 && running.size === 0], [running.size === 0, false], 'somebody runs if anybody waits');
  }
  while (running.size > 0) {
    for (const release of [...running.values()]) release();
    running.clear();
    await turn();
  }
  check.equal([waiting, gate.isIdle], [0, true], 'everybody has run');
});
