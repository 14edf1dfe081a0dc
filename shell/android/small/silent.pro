# What shells go without whose pages stop playing with the app.
-assumevalues class jollyhull.shell.ShellSettings { boolean plays() return false; }
