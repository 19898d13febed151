import { serveSystems } from './server';
import { memberRegister, valuationDesk } from './systems';

// Runs the simulators until it is told to stop. Its only argument is the port on 127.0.0.1.
const simulators = await serveSystems(
  [memberRegister(), valuationDesk()],
  Number(process.argv[2] ?? 0),
);
console.log(`The simulators are at ${simulators.address}`);
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => void simulators.stop().then(() => process.exit(0)));
}
