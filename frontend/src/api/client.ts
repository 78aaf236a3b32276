import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];
export type Role = Schemas["Role"];
export type Stage = Schemas["Stage"];
export type Surface = Schemas["Surface"];
export type SurfaceMap = Schemas["Map"];
export type SurfaceView = Schemas["SurfaceView"];
export type Step = SurfaceMap["steps"][number];
export type Edit = Schemas["EditRequest"]["edit"];
export type RenderFacts = Schemas["RenderFacts"];
export type Finding = Schemas["Finding"];

/** An answer that says what is wrong and what to do about it. */
export class StoneProblem extends Error {
  constructor(
    readonly problem: Problem,
    readonly status: number,
  ) {
    super(`${problem.message} ${problem.fix}`);
  }
}

function meta(name: string): string {
  return document.querySelector<HTMLMetaElement>(`meta[name="${name}"]`)?.content ?? "";
}

export const nonce = meta("stone-nonce");

const UNREACHED: Problem = {
  code: "no-server",
  message: "Stone Stack's server does not answer.",
  fix: "Start it again as you did before; this page then goes on.",
};

const guard: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-Stone-Token", meta("stone-token"));
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return response;
    throw await refusal(response);
  },
  onError() {
    return new StoneProblem(UNREACHED, 0);
  },
};

async function refusal(response: Response): Promise<StoneProblem> {
  const body: unknown = await response.json().catch(() => null);
  return new StoneProblem(isProblem(body) ? body : { ...UNREACHED, code: `http-${response.status}` }, response.status);
}

function isProblem(body: unknown): body is Problem {
  return typeof body === "object" && body !== null && "message" in body && "fix" in body;
}

export const api = createClient<paths>({ baseUrl: "/" });
api.use(guard);

/** Return what an answer holds; errors have been thrown before. */
export async function got<T>(answer: Promise<{ data?: T }>): Promise<T> {
  const { data } = await answer;
  if (data === undefined) throw new StoneProblem(UNREACHED, 0);
  return data;
}

/** Return the bytes at one of our addresses. */
export async function fetched(url: string): Promise<ArrayBuffer> {
  const response = await fetch(url).catch(() => {
    throw new StoneProblem(UNREACHED, 0);
  });
  if (!response.ok) throw await refusal(response);
  return response.arrayBuffer();
}

/** Whether something was left for a newer change; it is asked for again if it is wanted after all. */
export function isLeft(error: unknown): boolean {
  return error instanceof StoneProblem && error.problem.code === "not-wanted";
}

/** Whether something is missing only because a person stopped the making of it. */
export function isStopped(error: unknown): boolean {
  return error instanceof StoneProblem && error.problem.code === "stopped";
}

export function asProblem(error: unknown): Problem {
  if (error instanceof StoneProblem) return error.problem;
  return { code: "page", message: error instanceof Error ? error.message : String(error), fix: "Reload the page." };
}

export function pictureUrl(key: string, longest?: number): string {
  return `/api/renders/${key}/picture.png${longest === undefined ? "" : `?longest=${longest}`}`;
}

export function texelsUrl(key: string): string {
  return `/api/renders/${key}/texels.ktx2`;
}

/** A compressed map's levels as they were before. */
export function beforeUrl(key: string): string {
  return `/api/renders/${key}/before.ktx2`;
}

export function levelUrl(key: string, level: number): string {
  return `/api/renders/${key}/level.png?level=${String(level)}`;
}

export function textureUrl(key: string): string {
  return `/api/renders/${key}/texture.ktx2`;
}
