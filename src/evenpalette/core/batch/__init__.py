"""Many projects delivered at once: cut into jobs that are data, run here, in processes or on other machines."""
