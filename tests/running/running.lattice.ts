import { type CaseContext, type CaseResult, fixture, formatProblem, namedRows, range, rows, runSuites, suite, table, test, values } from 'red-lattice';
import { runInside } from '../inner.ts';

const wait = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));

export const steps = suite('steps', [
  test('continue after a failed one, which is named in the failure', async ({ check }) => {
    const { seen } = await runInside([
      test('case', ({ check, step }) => {
        step('one', ({ ensure, step }) => {
          step('inner', ({ check }) => check.equal(1, 2));
          ensure.equal(3, 4);
          check.fail('not reached');
        });
        const value = step('two', () => 7);
        check.equal(value, 7);
        step('three', () => {
          throw new Error('thrown');
        });
      }),
    ]);
    check.equal(seen[0]?.status, 'failed/check');
    check.equal(
      seen[0]?.result.failures.map(({ step, message }) => `${step?.join('/')} ${message}`),
      ['one/inner not equal', 'one not equal', 'three Error: thrown'],
    );
    check.equal(
      seen[0]?.result.steps.map(({ title, depth, status }) => `${depth} ${title} ${status}`),
      ['0 one failed', '1 inner failed', '0 two passed', '0 three failed'],
    );
  }),

  test('that are required end the case', async ({ check }) => {
    let reached = '';
    const { seen } = await runInside([
      test('case', async ({ step }) => {
        reached += `${await step.required('gives', async () => 'value')} `;
        await step('outer', async ({ step }) => {
          await step.required('breaks', async ({ check }) => void check.equal(1, 2));
          reached += 'after the step ';
        });
        reached += 'after all';
      }),
    ]);
    check.equal(reached, 'value ');
    check.equal(seen[0]?.status, 'failed/check');
  }),

  test('that overlap keep their own checks', async ({ check }) => {
    const { seen } = await runInside([
      test('case', async ({ step }) => {
        await step.required('both', ({ step }) =>
          Promise.all([
            step('slow', async ({ check }) => {
              await wait(10);
              check.equal(1, 2);
            }),
            step('quick', async ({ check }) => void check.equal(3, 4)),
          ]),
        );
      }),
    ]);
    check.equal(
      seen[0]?.result.failures.map(({ step, actual }) => `${step?.join()} ${actual}`),
      ['both,quick 3', 'both,slow 1'],
    );
  }),
]);

export const concurrency = suite('concurrency', [
  test('of {allowed} lets {most} cases overlap', {
    cases: table(
      ['allowed', 'most'],
      [
        [1, 1],
        [3, 3],
        [50, 8],
      ],
    ),
  }, async ({ row, check }) => {
    let [under, most] = [0, 0];
    const { ok, seen } = await runInside([
      test('case', { cases: range('n', 1, 8), concurrency: row.allowed }, async () => {
        most = Math.max(most, ++under);
        await wait(15);
        under--;
      }),
    ]);
    check.equal([most, ok, seen.length], [row.most, true, 8]);
  }),

  test('keeps a shared fixture until the last of its cases has ended', async ({ check }) => {
    const trace: string[] = [];
    const quay = fixture('quay', { scope: 'test', setup: () => trace.push('up'), teardown: () => trace.push('down') });
    await runInside([
      test('case', { cases: range('n', 1, 6), concurrency: 4, needs: { quay } }, async ({ row }) => {
        await wait(row.n % 2 ? 12 : 2);
        trace.push('case');
      }),
    ]);
    check.equal(trace, ['up', ...Array<string>(6).fill('case'), 'down']);
  }),
]);

export const attempts = test('retries set up the case again, and the last one counts', async ({ check }) => {
  let [set, tries] = [0, 0];
  const each = fixture('each', { setup: () => ++set });
  const { seen } = await runInside([
    test('unsteady', { retries: 3, needs: { each } }, ({ check }) => check.equal(++tries, 3)),
    test('hopeless', { retries: 1 }, ({ check }) => check.fail('again')),
  ]);
  check.equal(
    seen.map(({ status, result }) => [status, result.attempts]),
    [
      ['passed', 3],
      ['failed/check', 2],
    ],
  );
  check.equal(set, 3);
});

export const deferred = test('what a body defers runs last in first out, also after a failure, before fixtures end', async ({ check }) => {
  const trace: string[] = [];
  const quay = fixture('quay', { setup: () => 'quay', teardown: () => trace.push('quay') });
  await runInside([
    test('case', { needs: { quay } }, ({ defer, ensure }) => {
      defer(() => trace.push('first'));
      defer(async () => trace.push('second'));
      ensure.fail('here');
    }),
  ]);
  check.equal(trace, ['second', 'first', 'quay']);
});

export const overdue = test('a body that exceeds its time limit is aborted, and the run continues', { timeout: 5000 }, async ({ check }) => {
  let aborted = false;
  const { statuses } = await runInside([
    test('heeds', { timeout: 20 }, ({ signal }) => new Promise<void>((resolve) => signal.addEventListener('abort', () => resolve(void (aborted = true))))),
    test('after', ({ check }) => check.holds(true)),
  ]);
  check.equal(statuses, { heeds: 'failed/timeout', after: 'passed' });
  check.holds(aborted);
});

export const interrupted = test('an interrupted run starts no more cases, tears down, and reports how many are left', async ({ check }) => {
  const abort = new AbortController();
  const trace: string[] = [];
  const office = fixture('office', { scope: 'file', setup: () => 'office', teardown: () => trace.push('closed') });
  const suites = [
    test('day {n}', { needs: { office }, cases: range('n', 1, 10) }, ({ row }) => {
      trace.push(`day ${row.n}`);
      if (row.n === 3) abort.abort();
    }),
    test('later', { needs: { office } }, () => void trace.push('later')),
  ];
  const { counts } = await runSuites(suites, { signal: abort.signal });
  check.equal([counts.passed, counts['not-run']], [3, 8]);
  check.equal(trace, ['day 1', 'day 2', 'day 3', 'closed']);
});

export const flood = test('output of a case is kept up to a million characters, and truncation is reported', async ({ check }) => {
  const { seen } = await runInside([
    test('floods', ({ log }) => {
      for (let i = 0; i < 300; i++) log('x'.repeat(10_000));
    }),
  ]);
  const output = seen[0]?.result.output.join('') ?? '';
  check.matches(output, /x\n… output after 1,000,000 characters is not kept\n$/);
  check.closeTo(output.length, 1_000_000, 200);
});

export const kept = test('output and attachments belong to their case', async ({ check }) => {
  const { seen } = await runInside([
    test('case', ({ log, attach, check }) => {
      log('tide', { at: 3 });
      attach('plan', { berth: 'N4' });
      check.holds(true);
    }),
  ]);
  check.equal(seen[0]?.result.output, ['tide { at: 3 }\n']);
  check.equal(seen[0]?.result.attachments, [{ name: 'plan', content: '{ berth: "N4" }' }]);
});

export const copied = test('attached buffers are copied', async ({ check }) => {
  const { seen } = await runInside([
    test('one', ({ attach }) => {
      const notice = Buffer.from('berth N4');
      attach('notice', notice);
      notice.fill(0);
    }),
  ]);
  check.equal(new TextDecoder().decode(seen[0]?.result.attachments[0]?.content as Uint8Array), 'berth N4');
});

export const locks = test('cases with the same lock do not overlap', async ({ check }) => {
  const held = new Map<string, number>();
  let most = 0;
  const crane = fixture('crane', { locks: ['crane'], setup: () => 'crane' });
  const lock = fixture('lock', { settings: { number: 0 }, locks: ['gate'], setup: ({ settings }) => settings.number });
  const quay = fixture('alone', { locks: ['*'], setup: () => 'alone' });
  const hold = async (name: string): Promise<void> => {
    held.set(name, (held.get(name) ?? 0) + 1);
    most = Math.max(most, held.get(name) ?? 0, name === 'alone' ? [...held.values()].reduce((a, b) => a + b) : 0);
    await wait(5);
    held.set(name, (held.get(name) ?? 0) - 1);
  };
  const started = performance.now();
  const { seen } = await runInside([
    suite('port', { concurrency: 8 }, [
      test('by fixture', { needs: { crane }, cases: range('n', 1, 4) }, () => hold('crane')),
      test('by overrides', { needs: { lock }, cases: range('n', 1, 2), overrides: ({ n }) => [lock.with({ number: n })] }, () => hold('gate')),
      test('by name', { locks: ['crane'], cases: range('n', 1, 2) }, () => hold('crane')),
      test('by row', { cases: range('n', 1, 4).annotate(() => ({ locks: ['gate'] })) }, () => hold('gate')),
      test(
        'by two annotations',
        {
          cases: range('n', 1, 2)
            .annotate(() => ({ locks: ['crane'] }))
            .annotate(() => ({ locks: ['gate'] })),
        },
        () => Promise.all([hold('crane'), hold('gate')]),
      ),
      suite('by suite and test', { locks: ['crane'] }, [test('both', { locks: ['gate'] }, () => Promise.all([hold('crane'), hold('gate')]))]),
      test('alone', { needs: { quay }, cases: range('n', 1, 2) }, () => hold('alone')),
      test('free', { cases: range('n', 1, 8) }, () => wait(5)),
    ]),
  ]);
  check.equal(most, 1);
  check.equal(seen.length, 25);
  check.holds(performance.now() - started > 6 * 5, 'one after the other');
});

export const limits = test('setup and teardown have time limits', { timeout: 8000 }, async ({ check }) => {
  const never = (): Promise<never> => new Promise(() => {});
  const up = fixture('up', {
    timeout: 20,
    setup: ({ signal }) => new Promise((_, reject) => signal.addEventListener('abort', () => reject(new Error('gave up')))),
  });
  const stuck = fixture('stuck', { timeout: 20, setup: never });
  const down = fixture('down', { timeout: 20, setup: () => 1, teardown: never });
  const { seen } = await runInside([
    test('heeds', { needs: { up } }, () => {}),
    test('stuck', { needs: { stuck } }, () => {}),
    test('down', { needs: { down } }, () => {}),
  ]);
  check.equal(
    seen.map(({ status, result }) => `${status} ${result.failures[0]?.message}`),
    [
      'errored/setup Error: gave up',
      'errored/setup Error: the setup of fixture "stuck" exceeded its time limit of 20 ms',
      'errored/teardown Error: the teardown of fixture "down" exceeded its time limit of 20 ms',
    ],
  );
});

export const lateClean = test('cleanup deferred after the teardown runs immediately, and is reported', async ({ check }) => {
  let later: (cleanUp: () => unknown) => void = () => {};
  let ran = false;
  const quay = fixture('quay', { setup: ({ defer }) => void (later = defer) });
  const { messages } = await runInside([test('first', { needs: { quay } }, () => {}), test('second', () => later(() => (ran = true)))]);
  check.equal([messages, ran], [['late-cleanup'], true]);
});

export const brokenSource = test('after a source has failed, the rows before the error run, and one case is errored', async ({ check }) => {
  const torn = rows(function* () {
    for (let n = 1; n <= 70; n++) yield { n };
    throw new Error('the page is torn');
  });
  const { seen } = await runInside([test('t', { cases: torn }, () => {})]);
  const failed = seen.filter(({ status }) => status !== 'passed');
  check.equal(
    [seen.length, failed.map(({ status, result }) => [status, result.failures[0]?.message])],
    [71, [['errored/data', 'reading rows from rows threw: Error: the page is torn']]],
  );
});

export const stepsThatThrow = test('a required step that throws ends the case, synchronously or not: {how}', {
  cases: values('how', ['at once', 'later'] as const),
}, async ({ row, check }) => {
  let isReached = false;
  const { seen } = await runInside([
    test('case', async ({ step }) => {
      await step.required('quay', ({ log }) => {
        log('at the quay');
        if (row.how === 'later') return wait(1).then(() => Promise.reject(new RangeError('no berth')));
        throw new RangeError('no berth');
      });
      isReached = true;
    }),
  ]);
  const [{ status, result } = {}] = seen;
  check.equal(
    [isReached, status, result?.failures.map(({ message }) => message), result?.output],
    [false, 'failed/throw', ['RangeError: no berth'], ['at the quay\n']],
  );
});

export const manyChecks = test('of the failed checks of a case, 1,000 are recorded, and all are counted', async ({ check }) => {
  const { seen } = await runInside([
    test('case', ({ check }) => {
      for (let i = 0; i < 1003; i++) check.fail(`tide ${i}`);
    }),
  ]);
  const { checks, failures = [] } = seen[0]?.result ?? {};
  check.equal([checks?.failed, failures.length], [1003, 1001]);
  check.equal(failures.at(-1)?.message, 'more checks failed; only the first 1,000 failures are recorded');
});

export const afterwards = test('what a case does after its end is reported with its id: {what}', {
  cases: namedRows<{ what: string; act: (now: CaseContext<{}>) => unknown; says: string }>({
    log: { what: 'a line', act: ({ log }) => log('late'), says: 'a line was logged after its case had ended (suites#case): late; is an await missing?' },
    step: {
      what: 'a step',
      act: ({ step }) => step('moor', () => {}),
      says: 'a step started after its case had ended (suites#case): moor; is an await missing?',
    },
    check: {
      what: 'a check that passes',
      act: ({ check }) => check.holds(true),
      says: 'a check ran after its case had ended (suites#case): it would have passed; is an await missing?',
    },
  }),
}, async ({ row, check }) => {
  let late: CaseContext<{}> | undefined;
  const said: string[] = [];
  await runSuites([test('case', (now) => void (late = now)), test('after', () => void row.act(late as CaseContext<{}>))], {
    onEvent: (event) => event.type === 'problem' && said.push(formatProblem(event.problem)),
  });
  check.equal(said, [row.says]);
});

export const identity = test('a body knows its id, its title and its row', async ({ check }) => {
  const { seen } = await runInside([test('berth {n}', { cases: values('n', [3]) }, ({ id, title, row, log }) => log(`${id} | ${title} | ${row.n}`))]);
  check.equal(seen[0]?.result.output, ['suites#berth-n/n=3 | berth 3 | 3\n']);
});

export const lateSignal = test('the signal of a case is aborted, though the body reads it after the time limit', { timeout: 5000 }, async ({ check }) => {
  let reason: unknown;
  const { statuses } = await runInside([
    test('late', { timeout: 10 }, async (now) => {
      await wait(40);
      reason = now.signal.reason;
    }),
    test('after', async ({ eventually }) => void (await eventually(() => reason))),
  ]);
  check.equal(statuses, { late: 'failed/timeout', after: 'passed' });
  check.equal((reason as Error).message, 'the time limit of this case is over');
});

export const attached = test('attachments and deferred cleanups of a setup belong to its case', async ({ check }) => {
  const trace: string[] = [];
  const chart = fixture('chart', {
    setup({ attach, defer }) {
      attach('chart.txt', 'low water');
      defer(() => trace.push('rolled up'));
      return 'chart';
    },
  });
  const wrong = fixture('wrong', { setup: ({ defer }) => defer('roll' as never) });
  const { seen } = await runInside([test('reads', { needs: { chart } }, () => void trace.push('read')), test('breaks', { needs: { wrong } }, () => {})]);
  check.equal(seen[0]?.result.attachments, [{ name: 'chart.txt', content: 'low water' }]);
  check.equal(trace, ['read', 'rolled up']);
  check.equal(
    seen[1]?.result.failures.map(({ message }) => message),
    ['defer of fixture "wrong": roll is not a function'],
  );
});

export const interruptedEarly = test('an interruption during {where} leaves cases without results', {
  cases: values('where', ['a setup', 'the wait for a lock'] as const),
}, async ({ row, check }) => {
  const abort = new AbortController();
  const trace: string[] = [];
  const slow = fixture('slow', {
    setup: ({ signal }) =>
      new Promise((_, reject) => {
        signal.addEventListener('abort', () => {
          trace.push((signal.reason as Error).message);
          reject(signal.reason as Error);
        });
        setTimeout(() => abort.abort(), 1);
      }),
  });
  const suites =
    row.where === 'a setup'
      ? [test('one', { needs: { slow } }, () => void trace.push('body'))]
      : [
          suite('quay', { concurrency: 2, locks: ['crane'] }, [
            test('one', async () => {
              await wait(5);
              abort.abort();
            }),
            test('two', () => void trace.push('body')),
          ]),
        ];
  const { counts } = await runSuites(suites, { signal: abort.signal });
  check.equal([counts['not-run'], trace], row.where === 'a setup' ? [1, ['the run was interrupted']] : [2, []]);
});

export const throwing = test('overrides that throw for a row fail its case only', async ({ check }) => {
  const clock = fixture('clock', { settings: { hour: 8 }, setup: ({ settings }) => settings.hour });
  const { statuses } = await runInside([
    test(
      'at {n}',
      {
        needs: { clock },
        cases: values('n', [1, 2, 3]),
        overrides: ({ n }) => {
          if (n === 2) throw new RangeError('no such hour');
          return [clock.with({ hour: n })];
        },
      },
      ({ row, check }, { clock }) => check.equal(clock, row.n),
    ),
  ]);
  check.equal(statuses, { 'at 1': 'passed', 'at 2': 'errored/setup', 'at 3': 'passed' });
});

export const onRequest = test('what runs on request only is not run, unless it is requested', async ({ check }) => {
  const statuses = async (options?: object): Promise<string[]> => {
    const seen: string[] = [];
    await runSuites([test('long', { onRequest: 'takes a day' }, () => {})], {
      ...options,
      onEvent: (event) => event.type === 'ended' && seen.push(event.result.status),
    });
    return seen;
  };
  check.equal([await statuses(), await statuses({ onRequest: true })], [['not-requested'], ['passed']]);
});

export const listener = test('a listener that throws is reported, and the other results arrive', async ({ check }) => {
  const said: string[] = [];
  await runSuites([test('one', () => {}), test('two', () => {})], {
    onEvent(event) {
      if (event.type === 'ended' && event.case.title === 'one') throw new Error('no ink');
      if (event.type === 'ended') said.push(event.case.title);
      if (event.type === 'problem') said.push(formatProblem(event.problem));
    },
  });
  check.equal(said, ['internal error in Red Lattice: Error: no ink', 'two']);
});

export const details = test('of a case that passed, {what} is kept', {
  cases: namedRows<{ what: string; body: (context: CaseContext<{}>) => void; found: (result: CaseResult) => unknown; value: unknown; retries?: number }>({
    output: { what: 'what it wrote', body: ({ log }) => log('at the quay'), found: ({ output }) => output, value: ['at the quay\n'] },
    step: {
      what: 'its step',
      body: ({ step }) => step('mooring', () => {}),
      found: ({ steps }) => steps.map(({ title, status }) => [title, status]),
      value: [['mooring', 'passed']],
    },
    attachment: {
      what: 'what it attached',
      body: ({ attach }) => void attach('n4.txt', 'N4'),
      found: ({ attachments }) => attachments.map(({ name }) => name),
      value: ['n4.txt'],
    },
    checks: {
      what: 'the number of its checks',
      body: ({ check }) => void [check.equal(1, 1), check.holds(true)],
      found: ({ checks }) => checks,
      value: { passed: 2, failed: 0 },
    },
    nothing: {
      what: 'nothing else',
      body: () => {},
      found: ({ output, steps, attachments, attempts }) => [output.length, steps.length, attachments.length, attempts],
      value: [0, 0, 0, 1],
    },
    attempts: { what: 'the number of its attempts', retries: 1, body: failOnce(), found: ({ attempts }) => attempts, value: 2 },
  }),
}, async ({ row: { body, found, value, retries = 0 }, check }) => {
  const { seen } = await runInside([test('t', { retries }, body)]);
  check.equal([seen[0]?.status, seen[0] && found(seen[0].result)], ['passed', value]);
});

function failOnce(): () => void {
  let runs = 0;
  return () => {
    if (runs++ === 0) throw new Error('fog');
  };
}

const compute = (milliseconds: number): void => {
  for (const begun = performance.now(); performance.now() - begun < milliseconds; );
};

export const times = test('a case has the times of its setups, its body and its teardowns', async ({ check }) => {
  const pen = fixture('pen', { setup: () => compute(4), teardown: () => compute(16) });
  const { seen } = await runInside([
    test('one', { needs: { pen } }, () => compute(8)),
    test('two', { needs: { pen }, retries: 1 }, ({ check, defer }) => {
      defer(() => compute(16));
      compute(8);
      check.fail('leaks');
    }),
  ]);
  const within = (time: number | undefined, least: number): boolean => time !== undefined && time >= least && time < least + 1000;
  check.equal(
    seen.map(({ result: { times } }) => [within(times.setup, 4), within(times.body, 8), within(times.teardown, 16)]),
    Array(2).fill([true, true, true]),
  );
  const [one, two] = seen.map(({ result }) => result.start);
  check.holds((two as number) >= (one as number) + 28, 'one after the other');
});

export const stepTimes = test('a step has its time, also if it fails', async ({ check }) => {
  const wait = (): void => compute(2);
  const { seen } = await runInside([
    test('t', ({ step }) => {
      step('passes', wait);
      step('fails', () => {
        wait();
        throw new Error('fog');
      });
    }),
  ]);
  check.equal(
    seen[0]?.result.steps.map(({ title, status, milliseconds }) => [title, status, milliseconds >= 2 && milliseconds < 1000]),
    [
      ['passes', 'passed', true],
      ['fails', 'failed', true],
    ],
  );
});

export const late = test('a case that takes too long says after how many checks: {said}', {
  concurrency: 3,
  cases: table(
    ['count', 'inStep', 'said'],
    [
      [0, false, 'exceeded its time limit of 5 ms after no checks'],
      [1, false, 'exceeded its time limit of 5 ms after 1 check'],
      [2, true, 'exceeded its time limit of 5 ms after 2 checks, in step "waiting › inside"'],
    ],
  ),
}, async ({ row: { count, inStep, said }, check }) => {
  const never = (): Promise<never> => new Promise(() => {});
  const { seen } = await runInside([
    test('t', { timeout: 5 }, async ({ check, step }) => {
      for (let i = 0; i < count; i++) check.holds(i === 0);
      if (inStep) await step('waiting', ({ step }) => step('inside', never));
      else await never();
    }),
  ]);
  check.equal(seen[0]?.result.failures.at(-1)?.message, said);
});

export const unreadableCause = test('a cause that cannot be read is left out', async ({ check }) => {
  const error = Object.defineProperty(new Error('no tide'), 'cause', {
    get() {
      throw new Error('no cause');
    },
  });
  const { seen } = await runInside([
    test('t', () => {
      throw error;
    }),
  ]);
  const [failure] = seen[0]?.result.failures ?? [];
  check.equal([failure?.message, failure?.causes], ['Error: no tide', undefined]);
});

export const causes = test('the causes of an error are listed up to the ninth in a chain', async ({ check }) => {
  let error: Error = new Error('0');
  for (let depth = 1; depth <= 12; depth++) error = depth === 11 ? new AggregateError([error, 'plain'], '11') : new Error(`${depth}`, { cause: error });
  const { seen } = await runInside([
    test('t', () => {
      throw error;
    }),
  ]);
  check.equal(seen[0]?.result.failures[0]?.causes, [
    'AggregateError: 11',
    ...[10, 9, 8, 7, 6, 5, 4, 3].map((depth) => `Error: ${depth}`),
    'threw "plain", which is not an Error',
  ]);
});
