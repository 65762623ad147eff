import { InvalidArgumentError } from 'commander';

/** How systems that start several similar jobs number them: the variables, and the index of the first job. */
const jobs: readonly { readonly index: string; readonly total?: string; readonly first: 0 | 1 }[] = [
  { index: 'CI_NODE_INDEX', total: 'CI_NODE_TOTAL', first: 1 },
  { index: 'CIRCLE_NODE_INDEX', total: 'CIRCLE_NODE_TOTAL', first: 0 },
  { index: 'BUILDKITE_PARALLEL_JOB', total: 'BUILDKITE_PARALLEL_JOB_COUNT', first: 0 },
  { index: 'SYSTEM_JOBPOSITIONINPHASE', total: 'SYSTEM_TOTALJOBSINPHASE', first: 1 },
  { index: 'AWS_BATCH_JOB_ARRAY_INDEX', total: 'AWS_BATCH_JOB_ARRAY_SIZE', first: 0 },
  { index: 'SLURM_PROCID', total: 'SLURM_NTASKS', first: 0 },
  { index: 'JOB_COMPLETION_INDEX', first: 0 },
];

interface ShardSpec {
  /** Counted from 1. */
  readonly index: number;
  readonly of: number;
}

/** Parses `2/5`, the second of five; or `job`, the part of an indexed job. `job/5` sets the total if the environment has none. */
export function parseShard(value: string, environment: Readonly<Record<string, string | undefined>> = process.env): ShardSpec {
  const [, ofJob] = /^job(?:\/(.+))?$/.exec(value) ?? [];
  const [, index, of] = /^(\d+)\/(\d+)$/.exec(value) ?? [];
  const part = value.startsWith('job') ? findJob(environment, ofJob) : { index: readNumber(index), of: readNumber(of) };
  if (part.index === undefined || part.of === undefined)
    throw new InvalidArgumentError('It must look like 2/5 (part 2 of 5), or be job: index and count from the CI job.');
  if (part.index < 1 || part.index > part.of) throw new InvalidArgumentError(`Part ${part.index} of ${part.of} does not exist; parts are counted from 1.`);
  return { index: part.index, of: part.of };
}

function findJob(environment: Readonly<Record<string, string | undefined>>, given: string | undefined): ShardSpec {
  const job = jobs.find(({ index }) => readNumber(environment[index]) !== undefined);
  if (!job) throw new InvalidArgumentError(`No environment variable has the job's index; tried ${jobs.map(({ index }) => index).join(', ')}.`);
  const of = readNumber(given ?? environment[job.total ?? '']);
  if (of === undefined) throw new InvalidArgumentError(`${job.index} has the job's index, but no variable has the number of jobs. Write job/5 for five.`);
  return { index: (readNumber(environment[job.index]) as number) + 1 - job.first, of };
}

const readNumber = (text: string | undefined): number | undefined => (text !== undefined && /^\d{1,6}$/.test(text) ? Number(text) : undefined);
