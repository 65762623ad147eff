// Works the dues of made-up stays out from the office's table of bands, in whole cents and without the tariff's code, and
// writes dues.csv. Lengths stand on both sides of every band's edge, nights on both sides of every long stay's.
import { readFileSync, writeFileSync } from 'node:fs';

const folder = new URL('.', import.meta.url);
const [heading, ...bands] = readFileSync(new URL('bands.csv', folder), 'utf8')
  .split('\n')
  .filter((line) => line && !line.startsWith('#'))
  .map((line) => line.split(','));
const column = (name) => heading.indexOf(name);
const last = bands.at(-1);

function dues({ centimetres, hull, season, nights, resident, power }) {
  const at = bands.findIndex((band) => centimetres > Number(band[0]) * 100 && (band[1] === '' || centimetres <= Number(band[1]) * 100));
  const band = bands[at];
  const price = `${season} ${hull}`;
  let night = BigInt(band[column(price)]);
  if (band === last) night = night * BigInt(Math.ceil((centimetres - Number(last[0]) * 100) / 100)) + BigInt(bands[at - 1][column(price)]);
  // In parts of ten thousand, so that nothing is rounded before the end.
  const parts = (nights >= 28 ? 75n : nights >= 7 ? 90n : 100n) * (resident ? 85n : 100n);
  const berth = (night * BigInt(nights) * parts * 2n + 10_000n) / 20_000n;
  return berth + (power ? BigInt(band[column('power')]) * BigInt(nights) : 0n);
}

const stays = [];
for (const centimetres of [650, 800, 801, 1000, 1001, 1200, 1201, 1500, 1501, 1800, 1801, 1900, 1901]) {
  for (const season of ['summer', 'winter']) {
    for (const hull of ['mono', 'cat', 'tri'])
      stays.push({ centimetres, hull, season, nights: 1 + (stays.length % 3), resident: stays.length % 5 === 0, power: stays.length % 4 === 1 });
  }
}
for (const nights of [6, 7, 27, 28]) {
  for (const [centimetres, hull, season] of [
    [1200, 'mono', 'summer'],
    [1201, 'mono', 'winter'],
    [999, 'tri', 'winter'],
  ]) {
    for (const resident of [false, true]) for (const power of [false, true]) stays.push({ centimetres, hull, season, nights, resident, power });
  }
}
const yes = (flag) => (flag ? 'yes' : 'no');
const lines = stays.map((stay) => {
  const cents = String(dues(stay)).padStart(3, '0');
  return [
    (stay.centimetres / 100).toFixed(2),
    stay.hull,
    stay.season,
    stay.nights,
    yes(stay.resident),
    yes(stay.power),
    `${cents.slice(0, -2)}.${cents.slice(-2)}`,
  ].join();
});
writeFileSync(
  new URL('dues.csv', folder),
  `# Made by work-out-dues.mjs from bands.csv; dues in whole currency, with cents.\nloa,hull,season,nights,resident,power,due\n${lines.join('\n')}\n`,
);
console.log(`${lines.length} stays`);
