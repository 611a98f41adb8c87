import { useEffect, useState, useSyncExternalStore } from "react";

import type { LiveNews, MeterWindow } from "../api/client";

const HISTORY = 1800; // windows of a tenth of a second: three minutes
const AGAIN_MS = 1000;

type Open = (url: string) => WebSocket;
const openSocket: Open = (url) => new WebSocket(url);

export const socketUrl = (path: string): string =>
  `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${path}`;

/** The levels of one transfer, as they come; a connection that breaks is opened again. */
export class LiveFeed {
  latest: LiveNews | null = null;
  readonly windows: MeterWindow[] = [];
  private readonly listeners = new Set<() => void>();
  private socket: WebSocket | null = null;
  private timer = 0;
  private closed = false;

  constructor(
    private readonly key: string,
    private readonly open: Open = openSocket,
  ) {
    this.connect();
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = (): LiveNews | null => this.latest;

  close(): void {
    this.closed = true;
    window.clearTimeout(this.timer);
    this.socket?.close();
  }

  take(news: LiveNews): void {
    const last = this.windows[this.windows.length - 1]?.end_sample ?? -1;
    this.windows.push(...news.windows.filter((one) => one.end_sample > last));
    if (this.windows.length > HISTORY) this.windows.splice(0, this.windows.length - HISTORY);
    this.latest = news;
    this.listeners.forEach((listener) => listener());
  }

  private connect(): void {
    if (this.closed) return;
    const socket = this.open(socketUrl(`/api/v1/transfers/${this.key}/watch`));
    this.socket = socket;
    socket.onmessage = (message: MessageEvent<string>) => this.take(JSON.parse(message.data) as LiveNews);
    socket.onclose = () => {
      this.timer = window.setTimeout(() => this.connect(), AGAIN_MS);
    };
  }
}

/** The feed of a transfer for as long as a component shows it. */
export function useFeed(key: string | null): LiveFeed | null {
  const [feed, setFeed] = useState<LiveFeed | null>(null);
  useEffect(() => {
    if (key === null) return;
    const made = new LiveFeed(key);
    setFeed(made); // eslint-disable-line react-hooks/set-state-in-effect -- the feed is an outside thing, opened here
    return () => {
      made.close();
      setFeed(null);
    };
  }, [key]);
  return feed;
}

const nothing = () => () => undefined;

/** The latest news, rendered again with each: ten times a second. */
export const useLive = (feed: LiveFeed | null): LiveNews | null =>
  useSyncExternalStore(feed?.subscribe ?? nothing, feed?.snapshot ?? (() => null));
