"""What to do: action, gain, effort, order, safety."""
