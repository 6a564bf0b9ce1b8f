"""Medical devices: pulses of a defibrillator, and what is lost from a cuff in a minute."""
