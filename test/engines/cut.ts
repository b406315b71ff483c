import { connect, createServer, type Socket } from "node:net";
import type { AddressInfo } from "node:net";

/** "before": the server never hears it; "during": it does, and nobody waits for its answer; "after": its answer is lost. */
export type Moment = "before" | "during" | "after";

/** A way to a server that breaks off at a chosen message of the client. */
export interface CuttingWay {
  /** The address by way of which a client reaches the server. */
  readonly url: string;
  /** How many messages were sent since it was last told where to cut. */
  readonly sent: () => number;
  /** Where the next connection is to be cut; undefined: nowhere. */
  readonly cutAt: (message: number | undefined, moment?: Moment) => void;
  readonly close: () => Promise<void>;
}

/** Clients wait for each answer, so that each piece of what they send is one message. */
export async function cuttingWay(url: string): Promise<CuttingWay> {
  const target = new URL(url);
  const [host, port] = [target.hostname, Number(target.port)];
  let [count, at, moment]: [number, number | undefined, Moment] = [0, undefined, "before"];
  const sockets = new Set<Socket>();
  const server = createServer(client => {
    const there = connect(port, host);
    for (const socket of [client, there]) {
      sockets.add(socket);
      socket.setNoDelay(true);
      socket.on("error", () => undefined);
      socket.on("close", () => sockets.delete(socket));
    }
    const cut = () => {
      client.destroy();
      there.destroy();
    };
    client.on("data", data => {
      count += 1;
      if (count !== at) {
        there.write(data);
        return;
      }
      if (moment === "before") cut();
      else if (moment === "during") there.write(data, cut);
      else {
        there.once("data", cut);
        there.write(data);
      }
    });
    there.on("data", data => client.write(data));
    client.on("close", () => there.destroy());
    there.on("close", () => client.destroy());
  });
  await new Promise<void>(resolve => server.listen(0, "127.0.0.1", resolve));
  target.host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    url: target.href,
    sent: () => count,
    cutAt: (message, when = "before") => {
      [count, at, moment] = [0, message, when];
    },
    close: async () => {
      for (const socket of sockets) socket.destroy();
      await new Promise(resolve => server.close(resolve));
    },
  };
}
