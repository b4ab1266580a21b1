import { afterEach, expect, test, vi } from "vitest";
import { onSpace } from "./space";

let end = () => {};
afterEach(() => {
  end();
  document.body.innerHTML = "";
});

function setUp(html: string) {
  document.body.innerHTML = html;
  const toggle = vi.fn();
  end = onSpace(toggle);
  const press = (target: Element, key = " ", more: KeyboardEventInit = {}) => {
    const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more });
    target.dispatchEvent(event);
    return event.defaultPrevented;
  };
  const click = (target: HTMLElement) => {
    target.dispatchEvent(new Event("pointerdown", { bubbles: true }));
    target.focus();
  };
  const found = (id: string) => document.getElementById(id) as HTMLElement;
  return { toggle, press, click, found };
}

test("a control that was clicked leaves Space to listening, one that was tabbed to takes it", () => {
  const { toggle, press, click, found } = setUp("<button id=a></button><button id=b></button>");
  click(found("a"));
  expect(press(found("a"))).toBe(true);
  expect(toggle).toHaveBeenCalledTimes(1);
  press(found("a"), "Tab");
  found("b").focus();
  expect(press(found("b"))).toBe(false);
  expect(toggle).toHaveBeenCalledTimes(1);
  click(found("b")); // it has the focus already
  expect(press(found("b"))).toBe(true);
  expect(toggle).toHaveBeenCalledTimes(2);
});

test("text and menus keep Space, checkboxes that were clicked do not", () => {
  const { toggle, press, click, found } = setUp(
    "<input id=text><input id=box type=checkbox><div role=menu><button id=item></button></div>",
  );
  for (const id of ["text", "item"]) {
    click(found(id));
    expect(press(found(id))).toBe(false);
  }
  click(found("box"));
  expect(press(found("box"))).toBe(true);
  expect(toggle).toHaveBeenCalledTimes(1);
});

test("a held key toggles once, and Space with a modifier is something else", () => {
  const { toggle, press } = setUp("");
  press(document.body);
  press(document.body, " ", { repeat: true });
  expect(press(document.body, " ", { ctrlKey: true })).toBe(false);
  expect(toggle).toHaveBeenCalledTimes(1);
});
