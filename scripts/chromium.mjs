/** How Debian's Chromium is started by tests: without a sandbox, a network of its own or a monitor. */
export const chromium = {
  executablePath: process.env.UNISOR_CHROMIUM ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
};
