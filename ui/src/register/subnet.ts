/** The nth address of the IPv4 subnet that an address such as 10.61.110.1/24 is in; "" where it has none, or n is no host's. */
export function nth(address: string, n: number): string {
  const m = address.match(/^(\d+)\.(\d+)\.(\d+)\.(\d+)\/(\d+)$/);
  if (!m) return "";
  const [a, b, c, d, prefix] = m.slice(1).map(Number) as [number, number, number, number, number];
  const size = 2 ** (32 - prefix);
  if (!Number.isInteger(n) || n < 1 || n > size - 2) return "";
  const whole = a * 2 ** 24 + b * 2 ** 16 + c * 2 ** 8 + d;
  const at = whole - (whole % size) + n;
  return [2 ** 24, 2 ** 16, 2 ** 8, 1].map((part) => Math.floor(at / part) % 256).join(".");
}
