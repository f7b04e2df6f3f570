import { api, Refused, type WorkOrder } from "../api/client";

// What is ticked at the rack while the server is not heard stays in the browser, and is
// handed in, with its time, when the server is heard again.

export interface Kept {
  id?: number;
  office: number;
  order: number;
  step: number;
  on: boolean;
  said?: "refused" | "silent";
  words?: string;
  at: string;
  author: string;
}

const open = () =>
  new Promise<IDBDatabase>((yes, no) => {
    const r = indexedDB.open("klammer", 1);
    r.onupgradeneeded = () => r.result.createObjectStore("ticks", { keyPath: "id", autoIncrement: true });
    r.onsuccess = () => yes(r.result);
    r.onerror = () => no(r.error ?? new Error("this browser keeps nothing"));
  });

async function within<T>(mode: IDBTransactionMode, act: (s: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  const db = await open();
  try {
    return await new Promise<T>((yes, no) => {
      const tx = db.transaction("ticks", mode);
      const r = act(tx.objectStore("ticks"));
      tx.oncomplete = () => yes(r.result);
      tx.onerror = () => no(tx.error ?? new Error("this browser keeps nothing"));
    });
  } finally {
    db.close();
  }
}

/** An order as it is with what is kept of it here. */
export function withKept(order: WorkOrder, all: Kept[]): WorkOrder {
  let ticks = order.ticks;
  let said = order.said ?? [];
  for (const k of all) {
    if (k.order !== order.id) continue;
    const s = order.order?.steps[k.step];
    if (k.said && s && k.step === ticks.length)
      said = [
        ...said,
        {
          order: k.order,
          step: k.step,
          device: s.device,
          text: s.text,
          said: k.said,
          words: k.words ?? "",
          byDevice: false,
          author: k.author,
          at: k.at,
        },
      ];
    else if (!k.said && k.on && k.step === ticks.length) ticks = [...ticks, { step: k.step, author: k.author, at: k.at }];
    else if (!k.said && !k.on && k.step === ticks.length - 1) ticks = ticks.slice(0, -1);
  }
  return { ...order, ticks, said };
}

class KeptTicks {
  /** Of the office that is open, in their order. */
  all = $state.raw<Kept[]>([]);
  /** What the server did not take: somebody else went on, or another order was made. */
  refused = $state.raw<{ kept: Kept; why: string }[]>([]);
  private office = 0;
  private author = "";
  private busy = false;

  /** Reads what one person said of an office's orders: nobody hands in what another said. */
  async read(office: number, author: string) {
    [this.office, this.author] = [office, author];
    try {
      this.all = ((await within("readonly", (s) => s.getAll())) as Kept[]).filter((k) => k.office === office && k.author === author);
    } catch {
      this.all = []; // a browser that keeps nothing has nothing to hand in
    }
  }

  async add(k: Kept) {
    await within("readwrite", (s) => s.add(k));
    await this.read(this.office, this.author);
  }

  /** Hands in what is kept, in its order; gives whether the server took anything. */
  async handIn(): Promise<boolean> {
    if (this.busy || !this.all.length) return false;
    this.busy = true;
    let took = false;
    try {
      for (const k of this.all) {
        try {
          if (k.said) await api.orderSay(k.office, k.order, k.step, k.said, k.words ?? "", k.at);
          else await api.orderTick(k.office, k.order, k.step, k.on, k.at);
        } catch (e) {
          if (!(e instanceof Refused) || e.status === 0 || e.status >= 500) return took; // not heard yet
          this.refused = [...this.refused, { kept: k, why: e.message }];
        }
        took = true;
        await within("readwrite", (s) => s.delete(k.id!));
      }
    } finally {
      this.busy = false;
      await this.read(this.office, this.author);
    }
    return took;
  }
}

export const kept = new KeptTicks();

/** Has the browser keep the pages, this office and its order, for when the server is not heard. */
export async function keepHere(office: number) {
  if (!("serviceWorker" in navigator)) return;
  try {
    await navigator.serviceWorker.register("/sw.js");
    const worker = (await navigator.serviceWorker.ready).active;
    const own = performance
      .getEntriesByType("resource")
      .map((r) => new URL(r.name).pathname)
      .filter((p) => p.startsWith("/assets/") || /\.(js|css|svg|woff2)$/.test(p));
    const of = `/api/offices/${office}`;
    worker?.postMessage({
      keep: [
        "/",
        ...new Set(own),
        "/theme.js",
        "/api/me",
        "/api/offices",
        of,
        ...["history", "orders", "found", "readings"].map((p) => `${of}/${p}`),
      ],
    });
  } catch {
    /* without it an order is followed while the server is heard */
  }
}

/** Whoever signs out leaves no office here; what he said and nobody heard waits for him. */
export const forgetHere = () => void navigator.serviceWorker?.controller?.postMessage({ forget: true });
