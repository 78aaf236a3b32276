import { Component, Suspense, type ReactNode } from "react";
import { Button } from "@/parts/Button";
import { opened } from "@/parts/opened";
import { ProblemNote } from "@/parts/ProblemNote";

export const Sources = opened(() => import("@/views/sources/Sources"), "Sources");
export const Surfaces = opened(() => import("@/views/surfaces/Surfaces"), "Surfaces");
export const Bench = opened(() => import("@/views/bench/Bench"), "Bench");
export const Materials = opened(() => import("@/views/materials/Materials"), "Materials");
export const Deliveries = opened(() => import("@/views/deliveries/Deliveries"), "Deliveries");
export const Game = opened(() => import("@/views/game/Game"), "Game");
export const Project = opened(() => import("@/views/project/Project"), "Project");

interface Held {
  error: Error | null;
}

/** What fails in a view stays in it: the bar goes on, and the view can be opened again. */
class Boundary extends Component<{ children: ReactNode }, Held> {
  override state: Held = { error: null };

  static getDerivedStateFromError(error: unknown): Held {
    return { error: error instanceof Error ? error : new Error(String(error)) };
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <div className="mx-auto max-w-lg p-10">
        <p className="mb-2 font-semibold">This view has failed. What you made is kept.</p>
        <ProblemNote error={error} />
        <Button className="mt-3" onClick={() => { this.setState({ error: null }); }}>
          Open it again
        </Button>
      </div>
    );
  }
}

/** The place of a view: loaded, and held apart from the rest. */
export function ViewPlace({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Boundary key={name}>
      <Suspense fallback={<div className="h-full" aria-busy />}>{children}</Suspense>
    </Boundary>
  );
}
