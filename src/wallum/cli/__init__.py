"""The command line, the other entrance: a module for each family of commands."""
