"""Coverage is added up by storey."""

from __future__ import annotations

from launcher.coverage import by_storey


def test_lines_are_added_up_by_storey_and_the_least_covered_comes_first() -> None:
    def of(covered: int, all_: int) -> dict[str, dict[str, int]]:
        return {"summary": {"covered_lines": covered, "num_statements": all_}}

    report = {
        "src/inkwell_groove/core/peaks.py": of(90, 100),
        "src/inkwell_groove/core/audio/riff.py": of(45, 50),
        "src/inkwell_groove/web/app.py": of(10, 40),
        "src/inkwell_groove/web/__init__.py": of(0, 0),
        "src/inkwell_groove/logs.py": of(5, 5),
        "launcher/places.py": of(3, 4),
    }
    lines = by_storey(report)
    assert [line.split()[0] for line in lines] == ["web", "launcher", "core", "package"]
    assert "25.0% of     40   app.py 25%" in lines[0]
    assert "90.0% of    150" in lines[2] and "audio/riff.py 90%, peaks.py 90%" in lines[2]
