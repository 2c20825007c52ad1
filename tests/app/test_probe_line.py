"""The probe's line where there is little room."""

from evenpalette.app.probe_bar import Part, shortened


def test_steps_go_first_and_the_ends_stay_whatever_they_are_called() -> None:
    parts = [
        Part(("12, 30",), stays=True), Part(("uv 0.1, 0.2",)), Part(("1 final > paint 0.50", "2 Cap 0.50")),
        Part(("Tint > A #112233", "Cover #223344", "Shade #334455"), chain=True),
        Part(("final #334455", "linear 0.1 0.2 0.3"), stays=True), Part(("roughness 0.50",), stays=True),
    ]  # fmt: skip
    whole = shortened(parts, lambda line: True)
    assert whole.startswith("12, 30    uv 0.1, 0.2    1 final > paint 0.50  2 Cap 0.50    Tint > A #112233 > Cover")
    fewer = shortened(parts, lambda line: len(line) < len(whole) - 10)
    assert "    ... > Cover #223344 > Shade #334455    final #334455" in fewer
    least = shortened(parts, lambda line: False)
    assert least == "12, 30    ... > Shade #334455    final #334455  linear 0.1 0.2 0.3    roughness 0.50"
