import { formatValuesName } from '../../../src/cases/ids.ts';
import { formatAcceptCommand } from '../../../src/formats/accept-command.ts';
import { escapeControls, formatCount, formatDuration, formatStatus } from '../../../src/formats/style.ts';
import { formatLocation } from '../../../src/problems/source-location.ts';
import type { UsedFixture } from '../../../src/results/recorded-result.ts';
import { formatLaneName } from '../../../src/results/run-info.ts';
import type { StepResult } from '../../../src/running/result.ts';
import { CapturedOutput } from '../parts/CapturedOutput.tsx';
import { Command } from '../parts/Copy.tsx';
import { FailureBlock } from '../parts/Failure.tsx';
import { Headings } from '../parts/Headings.tsx';
import { Icon } from '../parts/icons.tsx';
import { Sign } from '../parts/Status.tsx';
import { conditionWord } from '../record/filter.ts';
import { ask } from '../record/load.ts';
import { rerunCommandOf } from '../record/rerun.ts';
import { type Content, type Item, type Store, timeOf } from '../record/store.ts';
import { go, hrefOf } from '../route.ts';

/** The title without the values that the row shows. */
function titleWithoutRow({ title, row }: Item['result']): string {
  const values = ` › ${formatValuesName(row)}`;
  return title.endsWith(values) ? title.slice(0, -values.length) : title;
}

/** All details of one case. */
export function CasePanel({ item, store, served }: { readonly item: Item; readonly store: Store; readonly served: boolean }) {
  const { result, test, lane } = item;
  const { header } = test;
  const fixtures = result.fixtures ?? header.fixtures ?? [];
  const place = result.location ?? header.location;
  const command = rerunCommandOf(store, item);
  const accept = formatAcceptCommand(result);
  const parts = titleWithoutRow(result).split(' › ');
  const above = parts.slice(0, -1);
  const title = parts.at(-1) ?? result.title;
  return (
    <article className="case" aria-label={`case ${result.title}`}>
      <header>
        <button type="button" className="icon close" onClick={() => go({ case: undefined })} aria-label="close the case" title="close (Esc)">
          <Icon name="close" />
        </button>
        {above.length > 0 && <p className="path">{escapeControls(above.join(' › '))}</p>}
        <h2>
          <Sign status={result.status} /> <span>{escapeControls(title)}</span>
        </h2>
        <p className="quiet">
          <span className={`status ${result.status}`}>
            {formatStatus(result.status)}
            {result.cause && result.cause !== 'check' ? `: ${result.cause}` : ''}
          </span>
          {result.reason ? `: ${escapeControls(result.reason)}` : ''}
          {result.attempts > 1 ? `, ${result.attempts} attempts` : ''} · {place ? formatLocation(place) : header.file}
        </p>
      </header>
      {Object.keys(result.row).length > 0 && (
        <section>
          <h3>Row</h3>
          <dl className="row">
            {Object.entries(result.row).map(([column, value]) => (
              <div key={column}>
                <dt>{escapeControls(column)}</dt>
                <dd>
                  <a
                    href={hrefOf({ view: 'tests', filter: conditionWord(column, typeof value === 'object' ? JSON.stringify(value) : value) })}
                    title="all cases with this value"
                  >
                    {escapeControls(typeof value === 'string' ? value || '(empty)' : JSON.stringify(value))}
                  </a>
                </dd>
              </div>
            ))}
          </dl>
        </section>
      )}
      {result.failures.map((failure, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
        <FailureBlock key={i} failure={failure} store={store} row={result.row} />
      ))}
      <Command text={command} />
      {accept !== undefined && <Command text={accept} />}
      {served && (
        <p>
          <button type="button" onClick={() => void ask({ kind: 'ids', ids: [result.id] })}>
            <Icon name="run" size={13} />
            run this case again
          </button>
        </p>
      )}
      <section>
        <h3>Time</h3>
        <p>
          {formatDuration(timeOf(result))}: setup {formatDuration(result.times.setup)}, body {formatDuration(result.times.body)}, teardown{' '}
          {formatDuration(result.times.teardown)} · {escapeControls(formatLaneName(lane, store.info?.machines))} ·{' '}
          {formatCount(result.checks.passed + result.checks.failed, 'check')}, {result.checks.failed} failed
        </p>
      </section>
      <History item={item} store={store} />
      {result.steps.length > 0 && <Steps steps={result.steps} />}
      {result.output.length > 0 && (
        <section>
          <h3>Output</h3>
          <CapturedOutput text={result.output.join('')} />
        </section>
      )}
      {result.attachments.length > 0 && (
        <section>
          <h3>Attachments</h3>
          {result.attachments.map(({ name, file }) => (
            <Attachment key={file} name={name} content={store.contents.get(file)} />
          ))}
        </section>
      )}
      {fixtures.length > 0 && <Fixtures fixtures={fixtures} isOwn={result.fixtures !== undefined} />}
    </article>
  );
}

function History({ item, store }: { readonly item: Item; readonly store: Store }) {
  const runs = store.history.map((run) => ({ run, status: store.inEarlier(run, item) })).reverse();
  if (!runs.some(({ status }) => status)) return null;
  return (
    <section>
      <h3>Earlier runs</h3>
      <p className="history">
        {runs.map(({ run, status }) => (
          <span key={run.name} title={`${run.started}: ${status ?? 'not run'}`}>
            {status ? <Sign status={status} /> : <span className="sign" />}
          </span>
        ))}
        <span title="this run">
          <Sign status={item.result.status} />
        </span>
        <span className="quiet">oldest first</span>
      </p>
    </section>
  );
}

const Steps = ({ steps }: { readonly steps: readonly StepResult[] }) => (
  <section>
    <h3>Steps</h3>
    <ul className="steps">
      {steps.map((step, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
        <li key={i} style={{ marginInlineStart: `${step.depth * 1.2}rem` }}>
          <Sign status={step.status === 'unfinished' ? 'not-run' : step.status} label={step.status} /> {escapeControls(step.title)}{' '}
          <span className="quiet">{formatDuration(step.milliseconds)}</span>
        </li>
      ))}
    </ul>
  </section>
);

const Fixtures = ({ fixtures, isOwn }: { readonly fixtures: readonly UsedFixture[]; readonly isOwn: boolean }) => (
  <section>
    <h3>
      Fixtures <span className="quiet">in setup order{isOwn ? '' : ', as seen by the first case of the test'}</span>
    </h3>
    <table className="fixtures">
      <Headings names={['fixture', 'scope', 'settings', 'defined']} />
      <tbody>
        {fixtures.map((fixture, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: two may share a name
          <tr key={i}>
            <td>
              {escapeControls(fixture.name)}
              {fixture.replaced && (
                <div className="quiet">
                  {escapeControls(fixture.replaced.by)}, {escapeControls(fixture.replaced.owner)}
                  {fixture.replaced.at ? ` (${formatLocation(fixture.replaced.at)})` : ''}
                </div>
              )}
            </td>
            <td>{fixture.scope}</td>
            <td>
              {fixture.settings.map((setting) => (
                <div key={setting.name}>
                  {escapeControls(setting.name)}={escapeControls(setting.value)}
                  {setting.from && (
                    <span className="quiet">
                      {' '}
                      {escapeControls(setting.from.owner)}
                      {setting.from.at ? ` (${formatLocation(setting.from.at)})` : ''}
                    </span>
                  )}
                </div>
              ))}
            </td>
            <td className="quiet">{fixture.definedAt ? formatLocation(fixture.definedAt) : ''}</td>
          </tr>
        ))}
      </tbody>
    </table>
  </section>
);

const images: Readonly<Record<string, string>> = {
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
  avif: 'image/avif',
};
const texts = /\.(?:txt|log|md|json|jsonl|csv|tsv|ya?ml|sql|ts|js|diff|patch)$/i;
const MAX_TEXT_LENGTH = 20_000;

/** Images and texts are shown. Everything else can only be downloaded, since a browser could execute it. */
function Attachment({ name, content }: { readonly name: string; readonly content: Content | undefined }) {
  if (content?.base64 === undefined)
    return (
      <p>
        {escapeControls(name)}{' '}
        <span className="quiet">{content ? `${content.size.toLocaleString('en')} bytes: too large for this page; see the record` : 'not in this page'}</span>
      </p>
    );
  const image = images[/\.([a-z]+)$/i.exec(name)?.[1]?.toLowerCase() ?? ''];
  const address = `data:${image ?? 'application/octet-stream'};base64,${content.base64}`;
  const isText = texts.test(name) || !/\.[a-z\d]{1,5}$/i.test(name);
  return (
    <figure>
      <figcaption>
        <a href={address} download={name.replace(/[^\p{L}\p{N}. _-]+/gu, '_') || 'attachment'}>
          {escapeControls(name)}
        </a>{' '}
        <span className="quiet">{content.size.toLocaleString('en')} bytes</span>
      </figcaption>
      {image && <img src={address} alt={escapeControls(name)} />}
      {!image && isText && <pre className="output">{escapeControls(textOf(content.base64).slice(0, MAX_TEXT_LENGTH))}</pre>}
    </figure>
  );
}

const textOf = (base64: string): string => new TextDecoder().decode(Uint8Array.from(atob(base64), (character) => character.charCodeAt(0)));
