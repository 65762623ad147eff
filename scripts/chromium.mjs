// Debian's Chromium without a screen: for pictures, measurements and tests.
export const chromium = '/usr/bin/chromium';
export const flags = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
