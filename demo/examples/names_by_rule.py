"""Name patches by a rule: openings by where they lie along x, walls by whether they are plane."""

import intaglio

END = 1.0


def rule(face: dict) -> tuple[str, str]:
    """Name and kind of the patch that a face of the fluid belongs to."""
    if face["surface"] != "plane":
        return "shell", "wall"
    return ("feed", "inlet") if face["centre"][0] < END else ("drain", "outlet")


if __name__ == "__main__":
    study = intaglio.open("pipe.step", quiet=True).name_patches(rule)
    for patch in study.run("patches")["patches"]:
        print(f"{patch['name']:<8}{patch['kind']:<8}{len(patch['faces'])} faces")
