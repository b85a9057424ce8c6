"""What an effect is to look like, shown by pictures: measured, compared, and matched."""
