import { scaleLinear, scaleUtc } from 'd3-scale';
import { demoTurns } from '../demo.ts';
import { heightAt, windows } from '../tides.ts';

const [width, height, left, bottom] = [760, 220, 40, 24];
const stepMinutes = 15;

/** The tide over two days, and when the vessel at the desk can pass the sill. */
export function Tides({ draught }: { readonly draught: number }) {
  const [first, last] = [demoTurns[0]?.at as Date, demoTurns.at(-1)?.at as Date];
  const x = scaleUtc([first, last], [left, width - 6]);
  const y = scaleLinear([0, 3.5], [height - bottom, 8]);
  const times: Date[] = [];
  for (let time = first.getTime(); time <= last.getTime(); time += stepMinutes * 60_000) times.push(new Date(time));
  const line = times.map((at, i) => `${i === 0 ? 'M' : 'L'}${x(at).toFixed(1)},${y(heightAt(demoTurns, at)).toFixed(1)}`).join('');
  const open = windows(demoTurns, draught);
  const clock = (at: Date): string => at.toISOString().slice(11, 16);
  return (
    <section>
      <h2>Tide windows over the sill, for {draught} m</h2>
      <svg viewBox={`0 0 ${width} ${height}`} role="img" aria-label={`the tide; ${open.length} windows, listed below`}>
        {open.map(({ from, to }) => (
          <rect key={from.getTime()} className="window" x={x(from)} y={8} width={Math.max(1, x(to) - x(from))} height={height - bottom - 8} />
        ))}
        {y.ticks(4).map((metres) => (
          <g key={metres}>
            <line className="axis" x1={left} x2={width - 6} y1={y(metres)} y2={y(metres)} />
            <text x={left - 8} y={y(metres) + 4} textAnchor="end">
              {metres} m
            </text>
          </g>
        ))}
        {x.ticks(8).map((at) => (
          <text key={at.getTime()} x={x(at)} y={height - 6} textAnchor="middle">
            {clock(at)}
          </text>
        ))}
        <line className="sill" x1={left} x2={width - 6} y1={y(0.8 + draught)} y2={y(0.8 + draught)} />
        <path className="tide" d={line} />
      </svg>
      <p>
        {open.length === 0
          ? 'The vessel never passes.'
          : open.map(({ from, to }) => `${from.toISOString().slice(8, 10)} May ${clock(from)} to ${clock(to)}`).join(' · ')}
      </p>
    </section>
  );
}
