"""The kinds of observation: each is one declaration that everything else discovers."""
