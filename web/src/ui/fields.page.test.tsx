import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { createRef } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { useNotices } from "../notices/notices";
import { FileField } from "./FileField";
import { NoteField } from "./NoteField";

afterEach(cleanup);

describe("a field for a note", () => {
  const shown = (value: number | null, onEmpty?: () => void) => {
    const onKeep = vi.fn();
    render(<NoteField label="Root" value={value} onKeep={onKeep} onEmpty={onEmpty} />);
    const input = screen.getByLabelText<HTMLInputElement>("Root");
    const type = (text: string) => {
      fireEvent.change(input, { target: { value: text } });
      fireEvent.keyDown(input, { key: "Enter" });
    };
    return { input, type, onKeep };
  };

  it("shows a key by its name and keeps what is typed", () => {
    const { input, type, onKeep } = shown(60);
    expect(input.value).toBe("C4");
    type("F#3");
    expect(onKeep).toHaveBeenCalledExactlyOnceWith(54);
  });

  it("keeps nothing that is no change", () => {
    const { type, onKeep } = shown(60);
    type("60");
    expect(onKeep).not.toHaveBeenCalled();
  });

  it("refuses what is no note, in words, and shows the old one again", () => {
    const { input, type, onKeep } = shown(60);
    type("H9");
    expect(onKeep).not.toHaveBeenCalled();
    expect(useNotices.getState().notice?.text).toContain("“H9” is not a note");
    expect(input.value).toBe("C4");
  });

  it("can be emptied only where that means something", () => {
    const onEmpty = vi.fn();
    const free = shown(60, onEmpty);
    free.type("");
    expect(onEmpty).toHaveBeenCalledOnce();
    cleanup();
    const bound = shown(60);
    bound.type("");
    expect(bound.onKeep).not.toHaveBeenCalled();
  });
});

describe("a field for files", () => {
  const file = new File(["x"], "x.scl");
  const chosen = (files: File[]) => {
    const onFiles = vi.fn();
    render(<FileField field={createRef()} label="File" accept=".scl" onFiles={onFiles} />);
    const input = screen.getByLabelText<HTMLInputElement>("File");
    Object.defineProperty(input, "files", { value: files });
    fireEvent.change(input);
    return { input, onFiles };
  };

  it("hands on what was chosen, and can take the same file again", () => {
    const { input, onFiles } = chosen([file]);
    expect(onFiles).toHaveBeenCalledExactlyOnceWith([file]);
    expect(input.value).toBe("");
  });

  it("says nothing when the choice was given up", () => {
    expect(chosen([]).onFiles).not.toHaveBeenCalled();
  });
});
