"""Tests: core by room, ui by screen, outside against published sources and other libraries."""
