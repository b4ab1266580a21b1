/** Which sound the address names, and how to go to another. */

export function soundInAddress(): number | null {
  const match = /^\/sounds\/(\d+)$/.exec(window.location.pathname);
  return match ? Number(match[1]) : null;
}

const ARRIVED = "caligo:arrived";

export function goTo(soundId: number) {
  window.history.pushState(null, "", `/sounds/${soundId}`);
  window.dispatchEvent(new Event(ARRIVED));
}

/** Hear of every change of place; returns how to stop. */
export function onArrival(act: () => void): () => void {
  window.addEventListener(ARRIVED, act);
  window.addEventListener("popstate", act);
  return () => {
    window.removeEventListener(ARRIVED, act);
    window.removeEventListener("popstate", act);
  };
}
