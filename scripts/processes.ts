import { type ChildProcess, fork } from "node:child_process";
import { programOf } from "./programs.mjs";

export type Managed = { name: string; child: ChildProcess; stop: () => Promise<void> };

/** Starts a TypeScript program, waits until it says that it is ready, and starts it again when it dies by itself. */
export async function keepRunning(name: string, file: string, env: Record<string, string>): Promise<Managed> {
  let stopping = false;
  const start = async (): Promise<ChildProcess> => {
    // Named for whoever lists processes. A group of its own: Ctrl+C reaches only this process, which stops the others in order.
    const child = fork(await programOf(file), [file], { env: { AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED: "true", ...process.env, ...env }, execArgv: ["--enable-source-maps"], stdio: ["ignore", "inherit", "inherit", "ipc"], detached: true });
    await new Promise<void>((ready, fail) => {
      child.once("message", () => ready());
      child.once("exit", (code, signal) => fail(new Error(`${name} ended before it was ready (${signal ?? code})`)));
    });
    child.once("exit", (code, signal) => {
      if (stopping) return;
      console.error(`${name} ended (${signal ?? code}); it is started again.`);
      void restart();
    });
    managed.child = child;
    return child;
  };
  const restart = async (): Promise<void> => {
    for (let wait = 250; !stopping; wait = Math.min(5_000, wait * 2)) {
      try {
        await start();
        return;
      } catch (error) {
        console.error((error as Error).message);
        await new Promise((done) => setTimeout(done, wait));
      }
    }
  };
  const managed: Managed = {
    name,
    child: undefined as unknown as ChildProcess,
    stop: async () => {
      stopping = true;
      const { child } = managed;
      if (child.exitCode !== null || child.signalCode !== null) return;
      const gone = new Promise((done) => child.once("exit", done));
      child.kill("SIGTERM");
      const timer = setTimeout(() => child.kill("SIGKILL"), 8_000);
      await gone;
      clearTimeout(timer);
    },
  };
  await start();
  return managed;
}
