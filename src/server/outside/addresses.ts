import dns from 'node:dns/promises';
import { BlockList, isIP, isIPv6 } from 'node:net';
import { fail } from '$lib/core/problems';

/**
 * Addresses of the machine itself, of its link, and of nobody: a name that leads there leads to what only this
 * machine should reach (RFC 6890). Where it is meant, the address itself is among the allowed hosts.
 */
const inside = new BlockList();
inside.addSubnet('0.0.0.0', 8);
inside.addSubnet('127.0.0.0', 8);
inside.addSubnet('169.254.0.0', 16);
inside.addSubnet('224.0.0.0', 3);
inside.addAddress('::', 'ipv6');
inside.addAddress('::1', 'ipv6');
inside.addSubnet('fe80::', 10, 'ipv6');
inside.addSubnet('ff00::', 8, 'ipv6');

/** Whether an address may be reached under a name. */
export function isReachable(address: string, hosts: readonly string[]): boolean {
  const allowed = hosts.some((host) => host === address || host.startsWith(`${address}:`));
  return allowed || !inside.check(address, isIPv6(address) ? 'ipv6' : 'ipv4');
}

/** The address of a host that may be reached; the connection is to be made to just that one. */
export async function addressToReach(host: string, hosts: readonly string[]): Promise<string> {
  // An address that is allowed is one as it stands, and so is a name for the machine itself.
  if (isIP(host) !== 0 || host === 'localhost') return host;
  const found = await dns.lookup(host, { all: true });
  const address = found.find((one) => isReachable(one.address, hosts))?.address;
  return address ?? fail('outside_host_refused', { host }, 403);
}
