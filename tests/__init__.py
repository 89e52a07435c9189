"""Tests: core, web, browser, documents."""
