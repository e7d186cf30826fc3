"""Source that the program writes for itself, and compiles.

A take of many agents asks thousands of conditions a second and walks as many
paths down to the work that runs. Interpreting their trees costs several times
what the questions themselves cost, so the engine turns each into one
straight-line Python function:

`condition`   writes the lines of a condition or a formula, from its parsed tree
`expression`  holds such lines with the values that their names stand for, ready to be compiled or
              to be put into a longer function
`path`        writes a path: the checks between a row and the work at its end, and that work's step
`functions`   compiles source text, and registers it so that tracebacks and debuggers show it

Three rules hold for all of it:

- Nothing of a project's text reaches the source. Texts, numbers and keys of a project are values
  that names are bound to; the source holds names of this package's making, operators and keywords.
- Names end in `{n}` until they are placed. So the same lines can stand several times in a function:
  each place puts its own number there.
- Source is cached by its text, values are bound afterwards. Agents of one behavior share the code
  and differ in what its names stand for.
"""
