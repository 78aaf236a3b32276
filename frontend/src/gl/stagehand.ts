import * as THREE from "three";

/** After this time what was left for a newer change is asked for again, if that change never came. */
export const AGAIN_MS = 700;
/** A frame that takes longer than this is too slow to follow a hand. */
const SLOW_MS = 50;
/** What asks again within this time, and some frames, is moving. */
const MOVING_MS = 250;
/** Share of the resolution that a slow machine draws while something moves. */
const ROUGH = 0.5;

/**
 * A renderer on a canvas that draws only when something has changed.
 *
 * On a slow machine it draws at half the resolution while something moves, and in full when it rests.
 */
export class Stagehand {
  readonly renderer: THREE.WebGLRenderer;
  private readonly observer: ResizeObserver;
  private readonly sharp = Math.min(2, window.devicePixelRatio);
  private asked = false;
  private loading = false;
  private gone = false;
  private lastAsked = -Infinity;
  private cost = 0;
  private rest: ReturnType<typeof setTimeout> | undefined;

  constructor(
    canvas: HTMLCanvasElement,
    private readonly draw: (renderer: THREE.WebGLRenderer, width: number, height: number) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: false });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace; // Shaders encode for themselves.
    this.observer = new ResizeObserver(() => {
      this.ask();
    });
    this.observer.observe(canvas);
  }

  /** Draw once, soon. */
  ask = () => {
    const now = performance.now();
    const moving = now - this.lastAsked < MOVING_MS + 3 * this.cost;
    this.lastAsked = now;
    if (this.asked || this.gone) return;
    this.asked = true;
    this.renderer.domElement.dataset["drawn"] = "not yet";
    requestAnimationFrame(() => {
      this.asked = false;
      this.now(moving && this.slow);
    });
  };

  /** What is to be seen is still on its way; what is drawn until it comes is something older. */
  load() {
    this.loading = true;
    this.renderer.domElement.dataset["drawn"] = "not yet";
  }

  /** What was on its way is there, or will not come. */
  loaded() {
    this.loading = false;
    this.ask();
  }

  /** Whether this machine takes too long for a frame to follow a hand. */
  get slow(): boolean {
    return this.cost > SLOW_MS;
  }

  dispose() {
    this.gone = true;
    clearTimeout(this.rest);
    this.observer.disconnect();
    this.renderer.dispose();
  }

  private now(rough: boolean) {
    if (this.gone) return;
    const { clientWidth, clientHeight } = this.renderer.domElement;
    if (clientWidth === 0 || clientHeight === 0) return;
    clearTimeout(this.rest);
    this.renderer.setPixelRatio(this.sharp * (rough ? ROUGH : 1));
    this.renderer.setSize(clientWidth, clientHeight, false);
    const started = performance.now();
    this.draw(this.renderer, clientWidth, clientHeight);
    this.renderer.domElement.dataset["drawn"] = this.loading ? "not yet" : rough ? "roughly" : "in full";
    if (rough) {
      this.rest = setTimeout(() => {
        this.now(false);
      }, MOVING_MS);
      return;
    }
    // The next frame comes when this one has left the GPU, so that is what it costs.
    requestAnimationFrame(() => {
      requestAnimationFrame(() => {
        this.cost = (performance.now() - started) / 2;
      });
    });
  }
}
