"""What people see: tables for the terminal, figures. It shows what the core knows and computes nothing of its own."""
