"""The recipe: parameters, steps, evaluation on the CPU, and the same as shader text."""
