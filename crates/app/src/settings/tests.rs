//! Files of settings: what is read, and how mistakes are told.

use super::{
    edit::{add_layout, keep},
    *,
};

#[test]
fn mistakes_are_shown_at_their_column() {
    for (text, want) in [
        (
            "[[layout]]\nname = \"a\"\ntemplate = \"{time} {level\"\n",
            "x.toml:3:20: this hole is not closed; write `}`\n  template = \"{time} {level\"\n                     ^",
        ),
        (
            "[[layout]]\nname = \"a\"\n",
            "x.toml:2:8: a layout needs a template, or a pattern\n  name = \"a\"\n         ^",
        ),
        (
            "[[sieve]]\nname = \"a\"\nmeshes = [\"level >= warn\", \"status == 5\"]\n",
            "x.toml:3:36: `==` is not an operator here; write `=`\n  meshes = [\"level >= warn\", \"status == 5\"]\n                                     ^",
        ),
        (
            "[[sieve]]\nname = \"a\"\nquiet = { pool = \"loud\" }\n",
            "x.toml:3:19: `loud` is no level\n  quiet = { pool = \"loud\" }\n                    ^",
        ),
        (
            "[[sieve]]\nname = \"a\"\n",
            "x.toml:2:8: a sieve needs meshes = […] or quiet = {…}\n  name = \"a\"\n         ^",
        ),
        (
            "[[layout]]\nname = 7\n",
            "x.toml:2:8: invalid type: integer `7`, expected a string\n  name = 7\n         ^",
        ),
    ] {
        let (at, message) = read(text, Path::new("x"), true).unwrap_err();
        assert_eq!(located(Path::new("x.toml"), text, at, &message), want);
    }
    let (at, message) = read("[[layout]]\nnmae = \"a\"\n", Path::new("x"), true).unwrap_err();
    assert!(message.contains("unknown field `nmae`, expected one of `name`"), "{message} at {at}");
}

#[test]
fn the_files_beside_the_logs_are_read_once_each() {
    let folder = tempfile::tempdir().unwrap();
    let (north, south) = (folder.path().join("north"), folder.path().join("south"));
    for (place, name) in [(&north, "n"), (&south, "s")] {
        fs::create_dir(place).unwrap();
        fs::write(place.join("a.log"), "x\n").unwrap();
        let path = place.join(NAME);
        add_layout(&path, name, "*", "{message}").unwrap();
        add_layout(&path, &format!("{name}2"), "*.log", "{time} {message}").unwrap();
    }
    let names = |sources: &[PathBuf]| -> Vec<String> {
        load(sources, &Folders::default())
            .unwrap()
            .layouts
            .iter()
            .map(|own| own.name().to_owned())
            .collect()
    };
    assert_eq!(names(std::slice::from_ref(&north))[..2], ["n", "n2"]);
    assert_eq!(
        names(&[south.join("a.log"), south.clone(), north.join("a.log")])[..4],
        ["s", "s2", "n", "n2"]
    );
    fs::write(north.join(NAME), "[[layout]]\nname = \"x\"\n").unwrap();
    let error = load(&[north.join("a.log")], &Folders::default()).unwrap_err();
    assert!(error.contains("cribrum.toml:2:8: a layout needs a template"), "{error}");
    fs::remove_file(south.join(NAME)).unwrap();
    fs::create_dir(south.join(NAME)).unwrap();
    assert!(load(&[south], &Folders::default()).unwrap_err().contains("can't be read"));
}

#[test]
fn a_file_beside_the_logs_runs_nothing_and_leads_nowhere_else() {
    let text = |roots: &str| format!("[code]\neditor = \"sh -c evil\"\nroots = [{roots}]\n");
    let shared = |text: &str| read(text, Path::new("/logs/cribrum.toml"), false).unwrap();
    let found = shared(&text("\"booking\", \"/etc\", \"../up\", \"~/x\", \"./a/../../b\""));
    assert_eq!(found.code.editor, None);
    assert_eq!(found.code.roots, [PathBuf::from("/logs/booking")]);
    let told = found.left_out.join("\n");
    assert!(
        told.contains("[code] editor is left out; only your own settings may say it"),
        "{told}"
    );
    assert!(told.contains("roots outside its folder"), "{told}");
    let rewrite =
        "[code]\nrewrite = { \"/app\" = \"src\", \"/lib\" = \"/etc\", \"/x\" = \"../y\" }\n";
    let found = shared(rewrite);
    assert_eq!(found.code.rewrite, [("/app".to_owned(), "src".to_owned())]);
    assert_eq!(found.left_out.len(), 1);
    let own = read(&text("\"/etc\""), Path::new("/home/cribrum.toml"), true).unwrap();
    assert_eq!((own.code.editor.as_deref(), own.left_out.len()), (Some("sh -c evil"), 0));
    for weaker in ["keep = [\"email\"]", "shorten = [\"token\"]", "key = \"team.key\""] {
        let refused = read(&format!("[veil]\n{weaker}\n"), Path::new("x"), false);
        assert!(refused.is_err_and(|(_, why)| why.contains("never less")), "{weaker}");
    }
    assert!(shared("[watch]\nbell = false\n").left_out.is_empty());
}

#[test]
fn a_settings_path_that_is_no_file_is_told_at_once() {
    let folder = tempfile::tempdir().unwrap();
    let pipe = folder.path().join(NAME);
    assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let error = load(&[folder.path().to_owned()], &Folders::default()).unwrap_err();
    assert!(error.contains("can't be read: it is no regular file"), "{error}");
    assert!(
        keep(&Kept {
            file: pipe,
            ..Kept::of("a", &Default::default(), str::to_owned, vec![], "x".into())
        })
        .is_err()
    );
}

#[test]
fn sieves_are_kept_and_read_again() {
    use cribrum_core::{
        entry::Level,
        query::{Context, Expr},
        sieve::Sieve,
    };
    let context = Context { last: Some(0), ..Context::default() };
    let mut sieve = Sieve::default();
    sieve.set_floor(Some(Level::Warn));
    sieve.add(Expr::parse("path ~ \"^/a\\\\.b\" and time in 00:10..00:20", &context).unwrap());
    sieve.quieten("http \"x\"", Level::Error);
    let hide = |text: &str| text.to_owned();
    let kept = Kept::of("two words", &sieve, hide, Vec::new(), PathBuf::from("x"));
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x");
    let kept = Kept { file: file.clone(), ..kept };
    keep(&kept).unwrap();
    let found = read(&fs::read_to_string(&file).unwrap(), &file, true).unwrap().sieves;
    assert_eq!(found, std::slice::from_ref(&kept));
    assert_eq!(found[0].sieve(&context), sieve);
    assert_eq!(found[0].summary().matches("quiet below error").count(), 1);
    sieve.around(7);
    assert_eq!(
        Kept::of("two words", &sieve, hide, Vec::new(), file),
        kept,
        "what passes stays out"
    );
    assert!(Kept::of("none", &Sieve::default(), hide, Vec::new(), PathBuf::from("x")).is_empty());
    let watch = read("[watch]\nbell = false\n", Path::new("x"), true).unwrap().watch;
    assert_eq!(watch, Some(Watching { bell: false, title: true }));
}

#[test]
fn the_code_is_looked_for_beside_the_settings_that_say_so() {
    let text = "[code]\nroots = [\"booking\", \"/srv/web\", \"~/x\"]\nrewrite = { \"/app\" = \"src\" }\nown = [\"test.\"]\n";
    let mut code = read(text, Path::new("/logs/cribrum.toml"), true).unwrap().code;
    assert_eq!(code.roots[..2], [PathBuf::from("/logs/booking"), PathBuf::from("/srv/web")]);
    assert!(code.roots[2].ends_with("x") && !code.roots[2].starts_with("/logs"));
    assert_eq!(code.rewrite, [("/app".to_owned(), "src".to_owned())]);
    let more =
        read("[code]\neditor = \"vi\"\nroots = [\"c\"]\n", Path::new("/b/x"), true).unwrap().code;
    code.add(more);
    assert_eq!((code.roots.len(), code.editor.as_deref()), (4, Some("vi")));
    assert!(read("[code]\nroot = 7\n", Path::new("x"), true).is_err());
}
