export default { title: 'Saltmarsh Ferry', description: 'How the boats run', outDir: 'dist', cleanUrls: true };
