//! The house as `docs/architecture.md` draws it: which crate may depend on which, and no circle of imports inside one.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use syn::visit::Visit;
use syn::{Item, UseTree, Visibility};
use xtask::paths;

/// Crates of the product in the order data flows, each with what it may depend on among them.
const CRATES: [(&str, &[&str]); 16] = [
    ("quantity", &[]),
    ("linear", &[]),
    ("circuit", &["quantity"]),
    ("recording", &["circuit"]),
    ("control", &["circuit"]),
    ("device", &["circuit", "control", "linear", "recording"]),
    ("switched", &["circuit", "control", "linear", "recording"]),
    ("readings", &["circuit", "quantity", "recording"]),
    ("traces", &["circuit", "readings", "recording"]),
    ("formats", &[]),
    ("drawing", &["circuit", "quantity"]),
    ("design", &["circuit", "drawing", "quantity"]),
    ("studies", &["circuit", "device", "quantity", "readings", "recording", "switched"]),
    (
        "server",
        &[
            "circuit",
            "design",
            "device",
            "drawing",
            "formats",
            "quantity",
            "readings",
            "recording",
            "studies",
            "traces",
        ],
    ),
    ("e2e", &["quantity", "xtask"]),
    ("xtask", &[]),
];

fn folder(name: &str) -> PathBuf {
    let in_crates = paths::root().join("crates").join(name);
    if in_crates.exists() { in_crates } else { paths::root().join(name) }
}

/// What a manifest depends on, tests and benches left out.
fn dependencies(manifest: &Path) -> BTreeSet<String> {
    let text = std::fs::read_to_string(manifest).unwrap();
    let section = text.split("\n[").find_map(|s| s.strip_prefix("dependencies]")).unwrap_or_default();
    let names = section.lines().filter_map(|line| line.split(['.', ' ', '=']).next());
    names.filter(|n| !n.is_empty() && !n.starts_with('#')).map(str::to_owned).collect()
}

#[test]
fn crates_depend_on_each_other_as_drawn() {
    let names: BTreeSet<&str> = CRATES.iter().map(|(name, _)| *name).collect();
    let present = std::fs::read_dir(paths::root().join("crates")).unwrap();
    for entry in present {
        let name = entry.unwrap().file_name().into_string().unwrap();
        assert!(name == "features" || names.contains(name.as_str()), "{name} is not drawn");
    }
    for (name, allowed) in CRATES {
        let found = dependencies(&folder(name).join("Cargo.toml"));
        assert!(found.contains("features"), "{name} does not share the workspace's features");
        let ours: BTreeSet<&str> = found.iter().map(String::as_str).filter(|n| names.contains(n)).collect();
        assert_eq!(ours, allowed.iter().copied().collect(), "{name}");
    }
}

#[test]
fn modules_of_a_crate_import_one_way() {
    let mut circles = Vec::new();
    for (name, _) in CRATES {
        let modules = Modules::read(&folder(name).join("src"));
        for circle in modules.circles() {
            circles.push(format!("{name}:\n  {}", circle.join("\n  ")));
        }
    }
    assert!(circles.is_empty(), "{}", circles.join("\n"));
}

/// A path from the crate's root.
type Name = Vec<String>;

/// The modules of a crate, one per file, and what each names of the others.
#[derive(Default)]
struct Modules {
    named: BTreeMap<Name, BTreeSet<Name>>,
    /// What a module passes on under a name.
    passed: BTreeMap<Name, Name>,
}

impl Modules {
    fn read(source: &Path) -> Self {
        let mut files = BTreeMap::new();
        collect(source, &Vec::new(), &mut files);
        let known: BTreeSet<Name> = files.keys().cloned().collect();
        let mut modules = Modules::default();
        for (module, file) in files {
            let mut reader =
                Reader { module: module.clone(), known: &known, named: BTreeSet::new(), passed: Vec::new() };
            reader.visit_file(&syn::parse_file(&std::fs::read_to_string(file).unwrap()).unwrap());
            modules.passed.extend(reader.passed);
            modules.named.insert(module, reader.named);
        }
        modules
    }

    /// The module in which what a path names is made.
    fn home(&self, path: &Name) -> Option<Name> {
        let mut path = path.clone();
        for _ in 0..8 {
            let module = (0..=path.len()).rev().map(|n| path[..n].to_vec()).find(|p| self.named.contains_key(p))?;
            let Some(next) = path.get(module.len()) else { return Some(module) };
            let key = [module.clone(), vec![next.clone()]].concat();
            match self.passed.get(&key) {
                Some(to) => path = [to.clone(), path[module.len() + 1..].to_vec()].concat(),
                None => return Some(module),
            }
        }
        None
    }

    fn imports(&self) -> BTreeMap<Name, BTreeSet<Name>> {
        let homes = |of: &Name, named: &BTreeSet<Name>| {
            let found = named.iter().filter_map(|path| self.home(path));
            found.filter(|home| home != of).collect::<BTreeSet<_>>()
        };
        self.named.iter().map(|(module, named)| (module.clone(), homes(module, named))).collect()
    }

    /// For each module that imports itself over others, the way around.
    fn circles(&self) -> Vec<Vec<String>> {
        let imports = self.imports();
        let mut found: Vec<Vec<String>> = Vec::new();
        let mut seen = BTreeSet::new();
        for start in imports.keys() {
            if let Some(way) = around(&imports, start)
                && seen.insert(way.iter().cloned().collect::<BTreeSet<_>>())
            {
                found.push(way.iter().map(|m| format!("crate::{}", m.join("::"))).collect());
            }
        }
        found
    }
}

/// The shortest way from a module over its imports back to it.
fn around(imports: &BTreeMap<Name, BTreeSet<Name>>, start: &Name) -> Option<Vec<Name>> {
    let mut ways = std::collections::VecDeque::from([vec![start.clone()]]);
    let mut seen = BTreeSet::new();
    while let Some(way) = ways.pop_front() {
        for next in imports.get(way.last()?)? {
            let longer = [way.clone(), vec![next.clone()]].concat();
            if next == start {
                return Some(longer);
            }
            if seen.insert(next.clone()) {
                ways.push_back(longer);
            }
        }
    }
    None
}

fn collect(folder: &Path, prefix: &Name, files: &mut BTreeMap<Name, PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let stem = path.file_stem().unwrap().to_str().unwrap().to_owned();
        if path.is_dir() {
            collect(&path, &[prefix.clone(), vec![stem]].concat(), files);
        } else if path.extension().is_some_and(|e| e == "rs") && !["main", "tests"].contains(&stem.as_str()) {
            let own = if ["lib", "mod"].contains(&stem.as_str()) { vec![] } else { vec![stem] };
            files.insert([prefix.clone(), own].concat(), path);
        }
    }
}

/// Reads the paths a file names within its crate.
struct Reader<'a> {
    module: Name,
    known: &'a BTreeSet<Name>,
    named: BTreeSet<Name>,
    passed: Vec<(Name, Name)>,
}

impl Reader<'_> {
    /// A path as written, from the crate's root; none if it leads out of the crate.
    fn absolute(&self, path: &[String]) -> Option<Name> {
        let mut base = self.module.clone();
        let mut rest = path;
        match path.first()?.as_str() {
            "crate" => (base, rest) = (Vec::new(), &path[1..]),
            "self" => rest = &path[1..],
            "super" => {
                while rest.first().is_some_and(|s| s == "super") {
                    base.pop();
                    rest = &rest[1..];
                }
            }
            first if !self.known.contains(&[base.clone(), vec![first.to_owned()]].concat()) => return None,
            _ => {}
        }
        Some([base, rest.to_vec()].concat())
    }

    fn note(&mut self, path: &[String]) {
        let own_parent = |p: &Name| self.known.contains(p) && self.module.starts_with(p);
        // A module named by itself, as `use super::*` names it, is what is in it.
        if let Some(path) = self.absolute(path).filter(|p| !own_parent(p) || p.is_empty()) {
            self.named.insert(path);
        }
    }

    fn uses(&mut self, tree: &UseTree, before: &[String], public: bool) {
        let with = |name: String| [before.to_vec(), vec![name]].concat();
        match tree {
            UseTree::Path(p) => self.uses(&p.tree, &with(p.ident.to_string()), public),
            UseTree::Group(group) => group.items.iter().for_each(|t| self.uses(t, before, public)),
            UseTree::Name(name) if name.ident == "self" => self.note(before),
            UseTree::Glob(_) => {
                if let Some(path) = self.absolute(before) {
                    self.named.insert(path);
                }
            }
            UseTree::Name(name) => self.used(&with(name.ident.to_string()), &name.ident.to_string(), public),
            UseTree::Rename(r) => self.used(&with(r.ident.to_string()), &r.rename.to_string(), public),
        }
    }

    /// What is passed on is not an import of the module's own.
    fn used(&mut self, path: &[String], name: &str, public: bool) {
        match self.absolute(path) {
            Some(to) if public => self.passed.push(([self.module.clone(), vec![name.to_owned()]].concat(), to)),
            Some(_) => self.note(path),
            None => {}
        }
    }
}

impl<'ast> Visit<'ast> for Reader<'_> {
    fn visit_item(&mut self, item: &'ast Item) {
        let attributes = match item {
            Item::Mod(m) => &m.attrs,
            Item::Use(u) => &u.attrs,
            Item::Fn(f) => &f.attrs,
            _ => return syn::visit::visit_item(self, item),
        };
        let for_tests = |a: &syn::Attribute| {
            a.path().is_ident("cfg") && a.parse_args::<syn::Ident>().is_ok_and(|ident| ident == "test")
        };
        if !attributes.iter().any(for_tests) {
            syn::visit::visit_item(self, item);
        }
    }

    fn visit_item_use(&mut self, item: &'ast syn::ItemUse) {
        self.uses(&item.tree, &[], !matches!(item.vis, Visibility::Inherited));
    }

    fn visit_path(&mut self, path: &'ast syn::Path) {
        let written: Vec<String> = path.segments.iter().map(|s| s.ident.to_string()).collect();
        if written.len() > 1 {
            self.note(&written);
        }
        syn::visit::visit_path(self, path);
    }
}

/// The campaign takes in whatever draws at random, in files and in folders, and nothing else.
#[test]
fn random_suites_are_found() {
    let suites = xtask::campaign::random_suites().unwrap();
    let there = |folder: &str, name: &str| suites.iter().any(|s| s.folder == folder && s.name == name);
    assert!(there("e2e", "changes") && there("crates/server", "api") && there("crates/switched", "topologies"));
    assert!(!there("e2e", "shots") && !suites.iter().any(|suite| suite.name == "common"));
}
